/* Lanes and their curves, on a canvas. */
import { clamp } from '../kit/dom.js';
import { LANE } from '../workspace/keys_drawn.js';

// a key's head tells its way on: a notch holds, a square is straight, a circle is eased, a lozenge is a
// spline, a ring has free handles
/**
 * @param {CanvasRenderingContext2D} g
 * @param {any} d
 * @param {any} key
 * @param {number} x
 * @param {number} y
 * @param {boolean} on
 */
function drawHead(g, d, key, x, y, on) {
  g.beginPath();
  const j = key.join;
  if (j === 'step' || j === 'steps') {
    g.moveTo(x - 4, y + 4);
    g.lineTo(x - 4, y - 4);
    g.lineTo(x + 4, y - 4);
    g.lineTo(x + 4, y);
    g.lineTo(x, y);
    g.lineTo(x, y + 4);
    g.closePath();
  } else if (j === 'straight') g.rect(x - 3.6, y - 3.6, 7.2, 7.2);
  else if (j === 'smooth' || j === 'spline') {
    g.moveTo(x, y - 5);
    g.lineTo(x + 5, y);
    g.lineTo(x, y + 5);
    g.lineTo(x - 5, y);
    g.closePath();
  } else g.arc(x, y, 4.2, 0, 7);
  g.fillStyle =
    key.v && typeof key.v === 'string' && key.v[0] === '#' ? key.v : on ? d.colours.fill : d.colours.sheet;
  g.fill();
  g.lineWidth = on ? 2 : 1.2;
  g.strokeStyle = on ? d.colours.amber : d.colours.ink;
  g.stroke();
  if (j === 'free' || j === 'bezier') {
    g.beginPath();
    g.arc(x, y, 1.4, 0, 7);
    g.stroke();
  }
  g.lineWidth = 1;
}

/**
 * @param {CanvasRenderingContext2D} g
 * @param {any} d
 * @param {any} row
 * @param {number} y
 * @param {number} W
 */
function drawPins(g, d, row, y, W) {
  const keys = d.keysOf(row.lane),
    base = y + row.high - 3;
  const dense = keys.length > 1 && (d.lineX(keys[keys.length - 1].t) - d.lineX(keys[0].t)) / keys.length < 6;
  g.strokeStyle = d.colours.ink;
  let last = -9;
  for (const key of keys) {
    const x = d.lineX(key.t);
    if (x < -8 || x > W + 8) continue;
    const on = d.isPicked(row.lane.path, key.t);
    if (dense) {
      if (x - last < 1) continue;
      last = x;
      g.globalAlpha = on ? 1 : 0.55;
      g.strokeStyle = on ? d.colours.amber : d.colours.ink;
      g.beginPath();
      g.moveTo(x, base);
      g.lineTo(x, base - (on ? 14 : 10));
      g.stroke();
      g.globalAlpha = 1;
      continue;
    }
    g.beginPath();
    g.moveTo(x, base);
    g.lineTo(x, y + 10);
    g.stroke();
    drawHead(g, d, key, x, y + 8, on);
  }
  if (row.lane.kind === 'colour' && keys.length) {
    g.globalAlpha = 0.8;
    const grad = g.createLinearGradient(d.lineX(keys[0].t), 0, d.lineX(keys[keys.length - 1].t) + 0.1, 0);
    const a = keys[0].t,
      b = keys[keys.length - 1].t || 1;
    for (const key of keys) grad.addColorStop(clamp((key.t - a) / (b - a || 1), 0, 1), key.v);
    g.fillStyle = grad;
    g.fillRect(d.lineX(a), y + row.high - 3, d.lineX(b) - d.lineX(a), 3);
    g.globalAlpha = 1;
  }
}

// the scale of an open lane: value to height and back
/**
 * @param {any} d
 * @param {any} row
 * @param {number} y
 */
function scaleOf(d, row, y) {
  const lane = row.lane,
    curve = d.curve(lane),
    w = d.span(),
    ratio = lane.blend === 'ratio',
    down = (v) => (ratio ? Math.log(Math.max(v, 1e-12)) : v),
    up = (v) => (ratio ? Math.exp(v) : v);
  let range = d.valueZoom && [down(d.valueZoom[0] > 0 || !ratio ? d.valueZoom[0] : 1e-6), down(d.valueZoom[1])];
  if (!range && d.dragged.scale) range = d.dragged.scale;
  if (!range) {
    let lo = Infinity,
      hi = -Infinity;
    for (let i = 0; i <= 160; i++) {
      const v = down(curve.at(w.a + ((w.b - w.a) * i) / 160));
      lo = Math.min(lo, v);
      hi = Math.max(hi, v);
    }
    if (lane.samples)
      lane.samples.forEach((v, i) => {
        const t = lane.from + ((lane.to - lane.from) * i) / (lane.samples.length - 1);
        if (t >= w.a && t <= w.b) {
          lo = Math.min(lo, down(v));
          hi = Math.max(hi, down(v));
        }
      });
    for (const key of d.keysOf(lane))
      if (key.t >= w.a && key.t <= w.b) {
        lo = Math.min(lo, down(key.v));
        hi = Math.max(hi, down(key.v));
        if (key.join === 'free') {
          lo = Math.min(lo, down(key.v) + key.handles[1]);
          hi = Math.max(hi, down(key.v) + key.handles[1]);
        }
      }
    if (!(hi - lo > 1e-9 * Math.max(1, Math.abs(hi)))) {
      const pad = Math.abs(hi) * 0.1 || 1;
      lo -= pad;
      hi += pad;
    }
    const pad = (hi - lo) * 0.14;
    range = [lo - pad, hi + pad];
  }
  const y0 = y + 14,
    y1 = y + row.high - 12;
  return {
    range,
    Y: (v) => y1 - ((down(v) - range[0]) / (range[1] - range[0])) * (y1 - y0),
    V: (py) => up(range[0] + ((y1 - py) / (y1 - y0)) * (range[1] - range[0])),
    S: (py) => range[0] + ((y1 - py) / (y1 - y0)) * (range[1] - range[0]),
    down,
    up,
    y0,
    y1,
  };
}

/**
 * @param {CanvasRenderingContext2D} g
 * @param {any} d
 * @param {any} row
 * @param {number} y
 * @param {number} W
 */
function drawOpen(g, d, row, y, W) {
  const lane = row.lane,
    curve = d.curve(lane),
    sc = scaleOf(d, row, y),
    keys = d.keysOf(lane);
  row.scale = sc;
  d.found.openScale = sc;
  g.fillStyle = d.colours.sheet;
  g.fillRect(0, y, W, row.high - 1);
  const x0 = d.lineX(0),
    x1 = d.lineX(d.seconds);
  g.fillStyle = d.colours.seat;
  g.globalAlpha = 0.6;
  if (x0 > 0) g.fillRect(0, y, x0, row.high - 1);
  if (x1 < W) g.fillRect(x1, y, W - x1, row.high - 1);
  g.globalAlpha = 1;
  g.save();
  g.beginPath();
  g.rect(0, y, W, row.high - 1);
  g.clip();
  // gridlines at round values
  const lo = sc.up(sc.range[0]),
    hi = sc.up(sc.range[1]),
    raw = (hi - lo) / 4,
    pow = 10 ** Math.floor(Math.log10(Math.max(raw, 1e-12))),
    tick = [1, 2, 5, 10].map((m) => m * pow).find((m) => m >= raw) || 10 * pow;
  g.strokeStyle = d.colours.rule;
  g.fillStyle = d.colours.faint;
  const marks =
    lane.blend === 'ratio'
      ? Array.from({ length: 5 }, (_, i) => sc.up(sc.range[0] + ((sc.range[1] - sc.range[0]) * (i + 0.5)) / 5)).map(
          (v) => +v.toPrecision(2),
        )
      : Array.from({ length: 12 }, (_, i) => (Math.ceil(lo / tick) + i) * tick).filter((v) => v < hi);
  let lastY = 1e9;
  for (const v of marks) {
    const py = sc.Y(v);
    if (Math.abs(lastY - py) < 14) continue;
    lastY = py;
    g.beginPath();
    g.moveTo(0, py);
    g.lineTo(W, py);
    g.stroke();
    g.fillText(d.number(+v.toPrecision(6), lane.unit), 3, py - 2);
  }
  const path = (f, from, to) => {
    g.beginPath();
    let begun = false;
    for (let x = Math.max(0, from); x <= Math.min(W, to); x += keys.length > 300 ? 2 : 1) {
      const py = f(d.lineT(x));
      if (Number.isFinite(py)) {
        begun ? g.lineTo(x, py) : g.moveTo(x, py);
        begun = true;
      }
    }
    g.stroke();
  };
  // how fast it changes, on a scale of its own
  const h = (d.span().b - d.span().a) / W,
    speed = (t) => (curve.at(t + h / 2) - curve.at(t - h / 2)) / h;
  let fastest = 1e-9;
  for (let x = 0; x < W; x += 4) {
    const s = Math.abs(speed(d.lineT(x)));
    if (s > fastest && s < 1e12) fastest = s;
  }
  const yMid = (sc.y0 + sc.y1) / 2,
    half = (sc.y1 - sc.y0) / 2;
  if (fastest > 1e-7 * Math.max(1e-6, Math.abs(sc.up(sc.range[1])))) {
    g.strokeStyle = d.colours.amber;
    g.globalAlpha = 0.55;
    if (keys.length <= 300) g.setLineDash([4, 3]);
    path((t) => yMid - (speed(t) / fastest) * half * 0.9, 0, W);
    g.setLineDash([]);
    g.globalAlpha = 1;
    g.fillStyle = d.colours.amber;
    g.fillText(
      `speed, up to ${d.number(+fastest.toPrecision(3), lane.unit === 'f/' ? '' : lane.unit)}/s`,
      W - 190,
      y + 11,
    );
  }
  // ghosts before the first key and after the last
  const xa = d.lineX(curve.first),
    xb = d.lineX(curve.last);
  g.strokeStyle = d.colours.ink;
  g.globalAlpha = 0.45;
  g.setLineDash([2, 3]);
  g.lineWidth = 1.4;
  path((t) => sc.Y(curve.at(t)), 0, Math.min(xa, W));
  path((t) => sc.Y(curve.at(t)), xb, W);
  g.setLineDash([]);
  g.globalAlpha = 1;
  g.lineWidth = keys.length <= 300 ? 1.8 : 1;
  path((t) => sc.Y(curve.at(t)), xa, xb);
  if (lane.samples && !(d.dragged.held && d.dragged.held[lane.path])) {
    // what comes of it with its small motions
    g.strokeStyle = d.colours.tide;
    g.lineWidth = 1.2;
    g.beginPath();
    lane.samples.forEach((v, i) => {
      const x = d.lineX(lane.from + ((lane.to - lane.from) * i) / (lane.samples.length - 1)),
        py = sc.Y(v);
      i ? g.lineTo(x, py) : g.moveTo(x, py);
    });
    g.stroke();
  }
  g.lineWidth = 1;
  let lastMark = -1;
  keys.forEach((key, i) => {
    const x = d.lineX(key.t),
      py = sc.Y(key.v),
      next = keys[i + 1];
    if (
      keys.length <= 300 &&
      key.join === 'free' &&
      next &&
      (d.isPicked(lane.path, key.t) || d.isPicked(lane.path, next.t))
    )
      drawHandles(g, d, lane, sc, key, next, 'handles');
    if (keys.length <= 300 && key.join === 'bezier' && next && d.isPicked(lane.path, key.t))
      drawHandles(g, d, lane, sc, key, next, 'bezier');
    if (x < -8 || x > W + 8) return;
    if (keys.length <= 300) {
      drawHead(g, d, key, x, py, d.isPicked(lane.path, key.t));
      return;
    }
    const mark = Math.round(x) * 512 + Math.round(py);
    if (mark === lastMark) return;
    lastMark = mark;
    g.fillStyle = d.isPicked(lane.path, key.t) ? d.colours.amber : d.colours.ink;
    g.fillRect(Math.round(x) - 1, Math.round(py) - 1, 3, 3); // of many keys only marks can be told apart
  });
  g.restore();
}

/**
 * @param {CanvasRenderingContext2D} g
 * @param {any} d
 * @param {any} lane
 * @param {any} sc
 * @param {any} key
 * @param {any} next
 * @param {'handles' | 'bezier'} kind
 */
function drawHandles(g, d, lane, sc, key, next, kind) {
  const [x1, d1, x2, d2] = key[kind],
    a = sc.down(key.v),
    b = sc.down(next.v),
    dt = next.t - key.t;
  const ends =
    kind === 'handles'
      ? [
          [x1, a + d1, key.t, a, 0],
          [x2, b + d2, next.t, b, 2],
        ]
      : [
          [x1, a + d1 * (b - a), key.t, a, 0],
          [x2, a + d2 * (b - a), next.t, b, 2],
        ];
  for (const [share, v, t, from, at] of ends) {
    const hx = d.lineX(key.t + share * dt),
      hy = sc.Y(sc.up(v));
    g.strokeStyle = d.colours.marsh;
    g.beginPath();
    g.moveTo(d.lineX(t), sc.Y(sc.up(from)));
    g.lineTo(hx, hy);
    g.stroke();
    g.fillStyle = d.colours.sheet;
    g.beginPath();
    g.arc(hx, hy, 3.6, 0, 7);
    g.fill();
    g.stroke();
    d.found.grips.push({ x: hx, y: hy, lane, key, next, kind, at });
  }
}

// over several picked keys lies a bracket: its ends stretch and squeeze them
/**
 * @param {CanvasRenderingContext2D} g
 * @param {any} d
 */
function drawBracket(g, d) {
  d.found.bracket = null;
  let from = Infinity,
    to = -Infinity,
    count = 0;
  for (const [path, set] of Object.entries(d.dragged.sets))
    for (const q of (d.dragged.times && d.dragged.times[path]) || set) {
      from = Math.min(from, q / 1e4);
      to = Math.max(to, q / 1e4);
      count += 1;
    }
  if (count < 2) return;
  const a = d.lineX(from),
    b = d.lineX(to);
  if (b - a < 8) return;
  g.strokeStyle = d.colours.marsh;
  g.lineWidth = 2;
  g.beginPath();
  g.moveTo(a, 1);
  g.lineTo(b, 1);
  g.stroke();
  g.lineWidth = 1;
  g.fillStyle = d.colours.marsh;
  g.fillRect(a - 4, 0, 8, 5);
  g.fillRect(b - 4, 0, 8, 5);
  d.found.bracket = { a, b, from, to };
}

/**
 * @param {CanvasRenderingContext2D} g
 * @param {any} data size `W`, `H` and pixels `k` to one of the page; `rows` in sight, scrolled by `top`; `colours`;
 *   `seconds` of the shot; a rubber `band`; what is `dragged`; `valueZoom`; and how times, keys, curves and numbers are
 *   found: `lineX`, `lineT`, `span`, `keysOf`, `curve`, `isPicked`, `number`
 * @returns {any} what can be gripped: `grips` of handles, the `bracket`, the open lane's scale
 */
export function drawLanes(g, data) {
  const { W, H, k } = data,
    d = { ...data, found: { grips: [], bracket: null, openScale: null } };
  g.setTransform(k, 0, 0, k, 0, 0);
  g.clearRect(0, 0, W, H);
  g.font = "10.5px 'IBM Plex Mono'";
  g.lineWidth = 1;
  const x0 = d.lineX(0),
    x1 = d.lineX(d.seconds);
  g.fillStyle = d.colours.seat;
  g.globalAlpha = 0.75;
  if (x0 > 0) g.fillRect(0, 0, x0, H);
  if (x1 < W) g.fillRect(x1, 0, W - x1, H);
  g.globalAlpha = 1;
  for (const row of d.rows) {
    const y = row.y - d.top;
    g.strokeStyle = d.colours.rule;
    g.beginPath();
    g.moveTo(0, y + row.high - 0.5);
    g.lineTo(W, y + row.high - 0.5);
    g.stroke();
    if (row.high > LANE && row.lane.kind === 'number') drawOpen(g, d, row, y, W);
    else drawPins(g, d, row, y, W);
  }
  if (d.band) {
    g.fillStyle = d.colours.marsh;
    g.globalAlpha = 0.15;
    g.fillRect(d.band[0], d.band[1], d.band[2] - d.band[0], d.band[3] - d.band[1]);
    g.globalAlpha = 1;
  }
  drawBracket(g, d);
  return d.found;
}
