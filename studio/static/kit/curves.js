/* Curves as the core evaluates them (lumwick/motion), so that a drag shows at once what will be kept. */
export const EASE = {
  straight: (x) => x,
  quad_in: (x) => x * x,
  cubic_in: (x) => x ** 3,
  sine_in: (x) => 1 - Math.cos((x * Math.PI) / 2),
};
for (const family of ['quad', 'cubic', 'sine']) {
  const into = EASE[`${family}_in`];
  EASE[`${family}_out`] = (x) => 1 - into(1 - x);
  EASE[`${family}_both`] = (x) => (x < 0.5 ? into(2 * x) / 2 : 1 - into(2 - 2 * x) / 2);
}

// share of time -> value of a Bezier whose time is monotone
export function bezier(x, x1, x2, a, b, c, d) {
  let lo = 0,
    hi = 1,
    s = x;
  for (let i = 0; i < 40; i++) {
    const u = 1 - s,
      miss = 3 * u * u * s * x1 + 3 * u * s * s * x2 + s * s * s - x;
    if (Math.abs(miss) < 1e-9) break;
    if (miss > 0) hi = s;
    else lo = s;
    const slope = 3 * u * u * x1 + 6 * u * s * (x2 - x1) + 3 * s * s * (1 - x2);
    s -= slope > 1e-9 ? miss / slope : 9;
    if (!(s > lo && s < hi)) s = (lo + hi) / 2;
  }
  const u = 1 - s;
  return u * u * u * a + 3 * u * u * s * b + 3 * u * s * s * c + s * s * s * d;
}

function pchipSlopes(t, v) {
  const n = t.length,
    h = [],
    d = [],
    m = new Array(n).fill(0);
  for (let i = 0; i < n - 1; i++) {
    h.push(t[i + 1] - t[i]);
    d.push((v[i + 1] - v[i]) / h[i]);
  }
  if (n === 2) return [d[0], d[0]];
  for (let i = 1; i < n - 1; i++)
    if (d[i - 1] * d[i] > 0) {
      const a = 2 * h[i] + h[i - 1],
        b = h[i] + 2 * h[i - 1];
      m[i] = (a + b) / (a / d[i - 1] + b / d[i]);
    }
  const end = (h0, h1, d0, d1) => {
    const s = ((2 * h0 + h1) * d0 - h0 * d1) / (h0 + h1);
    return s * d0 <= 0 ? 0 : d0 * d1 <= 0 && Math.abs(s) > 3 * Math.abs(d0) ? 3 * d0 : s;
  };
  m[0] = end(h[0], h[1], d[0], d[1]);
  m[n - 1] = end(h[n - 2], h[n - 3], d[n - 2], d[n - 3]);
  return m;
}

function splineSlopes(t, v) {
  // natural: no curvature at the ends
  const n = t.length;
  if (n === 2) {
    const d = (v[1] - v[0]) / (t[1] - t[0]);
    return [d, d];
  }
  const a = new Array(n).fill(0),
    b = new Array(n).fill(0),
    c = new Array(n).fill(0),
    r = new Array(n).fill(0),
    h = [],
    d = [];
  for (let i = 0; i < n - 1; i++) {
    h.push(t[i + 1] - t[i]);
    d.push((v[i + 1] - v[i]) / h[i]);
  }
  b[0] = 2;
  c[0] = 1;
  r[0] = 3 * d[0];
  a[n - 1] = 1;
  b[n - 1] = 2;
  r[n - 1] = 3 * d[n - 2];
  for (let i = 1; i < n - 1; i++) {
    a[i] = h[i];
    b[i] = 2 * (h[i - 1] + h[i]);
    c[i] = h[i - 1];
    r[i] = 3 * (h[i] * d[i - 1] + h[i - 1] * d[i]);
  }
  for (let i = 1; i < n; i++) {
    const w = a[i] / b[i - 1];
    b[i] -= w * c[i - 1];
    r[i] -= w * r[i - 1];
  }
  const m = new Array(n);
  m[n - 1] = r[n - 1] / b[n - 1];
  for (let i = n - 2; i >= 0; i--) m[i] = (r[i] - c[i] * m[i + 1]) / b[i];
  return m;
}

// A lane made ready to be asked: at(t) gives the keyed value, without its small motions.
export function readied(lane) {
  const ratio = lane.blend === 'ratio',
    value = (k) =>
      lane.kind === 'moment' ? k.n : lane.kind === 'colour' ? 0 : ratio ? Math.log(Math.max(k.v, 1e-12)) : k.v;
  const keys = [...lane.keys].sort((a, b) => a.t - b.t),
    t = keys.map((k) => k.t),
    v = keys.map(value),
    n = keys.length,
    slopes = new Array(n);
  const round = (x) => x === 'cycle' || x === 'cycle_offset',
    closed = round(lane.before) && round(lane.after);
  for (let i = 0; i < n - 1;) {
    const join = keys[i].join;
    if (join !== 'smooth' && join !== 'spline') {
      i++;
      continue;
    }
    let j = i;
    while (j < n - 1 && keys[j].join === join) j++;
    let tt = t.slice(i, j + 1),
      vv = v.slice(i, j + 1),
      skip = 0;
    if (closed && i === 0 && j === n - 1 && n > 2) {
      // what comes round is smooth over its seam: look a few keys beyond it
      const span = t[n - 1] - t[0],
        rise = v[n - 1] - v[0],
        pad = join === 'smooth' ? 1 : Math.min(n - 1, 8);
      const before = [],
        beforeV = [],
        after = [],
        afterV = [];
      for (let k = pad; k >= 1; k--) {
        before.push(t[n - 1 - k] - span);
        beforeV.push(v[n - 1 - k] - rise);
      }
      for (let k = 1; k <= pad; k++) {
        after.push(t[k] + span);
        afterV.push(v[k] + rise);
      }
      tt = [...before, ...tt, ...after];
      vv = [...beforeV, ...vv, ...afterV];
      skip = pad;
    }
    const m = (join === 'smooth' ? pchipSlopes : splineSlopes)(tt, vv);
    for (let k = i; k < j; k++) slopes[k] = [m[k - i + skip], m[k - i + skip + 1]];
    i = j;
  }
  const inside = (x) => {
    if (x <= t[0] || n === 1) return v[0];
    if (x >= t[n - 1]) return v[n - 1];
    let lo = 0,
      hi = n - 1;
    while (hi - lo > 1) {
      const mid = (lo + hi) >> 1;
      if (t[mid] <= x) lo = mid;
      else hi = mid;
    }
    const k = keys[lo],
      dt = t[lo + 1] - t[lo],
      s = (x - t[lo]) / dt,
      a = v[lo],
      b = v[lo + 1],
      dv = b - a;
    if (k.join === 'step') return a;
    if (k.join === 'steps') {
      const jumps = k.steps + ({ both: 1, none: -1 }[k.jump] || 0),
        step = Math.floor(s * k.steps + 1e-9) + (k.jump === 'start' || k.jump === 'both' ? 1 : 0);
      return a + (dv * Math.min(Math.max(step, 0), jumps)) / Math.max(jumps, 1);
    }
    if (k.join === 'bezier') {
      const [x1, y1, x2, y2] = k.bezier;
      return bezier(s, x1, x2, a, a + y1 * dv, a + y2 * dv, b);
    }
    if (k.join === 'free') {
      const [x1, d1, x2, d2] = k.handles;
      return bezier(s, x1, x2, a, a + d1, b + d2, b);
    }
    if (slopes[lo]) {
      const [m0, m1] = slopes[lo],
        s2 = s * s,
        s3 = s2 * s;
      return (2 * s3 - 3 * s2 + 1) * a + (s3 - 2 * s2 + s) * dt * m0 + (3 * s2 - 2 * s3) * b + (s3 - s2) * dt * m1;
    }
    return a + dv * EASE[k.join](s);
  };
  const t0 = t[0],
    t1 = t[n - 1],
    span = t1 - t0,
    eps = Math.max(1e-9, span * 1e-7);
  const slope = (end) => {
    // by steps it goes nowhere
    const k = end ? n - 2 : 0;
    return n < 2 || ['step', 'steps'].includes(keys[k].join)
      ? 0
      : end
        ? (v[n - 1] - inside(t1 - eps)) / eps
        : (inside(t0 + eps) - v[0]) / eps;
  };
  const shown = (x) => (ratio ? Math.exp(x) : x);
  const at = (x) => {
    const how = x < t0 ? lane.before : x > t1 ? lane.after : '';
    if (!how || how === 'hold' || (span <= 0 && how !== 'straight_on')) return shown(inside(x));
    if (how === 'straight_on')
      return shown(x < t0 ? v[0] + (x - t0) * slope(false) : v[n - 1] + (x - t1) * slope(true));
    const turn = Math.floor((x - t0) / span);
    let y = x - turn * span;
    if (how === 'mirror' && turn % 2 !== 0) y = t0 + t1 - y;
    return shown(inside(y) + (how === 'cycle_offset' ? turn * (v[n - 1] - v[0]) : 0));
  };
  return {
    at,
    t,
    v,
    keys,
    first: t0,
    last: t1,
    shown,
    stored: (x) => (ratio ? Math.log(Math.max(x, 1e-12)) : x),
  };
}
