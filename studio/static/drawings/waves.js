/* The waters: the sea's spectrum, its shore, the day's tide, and the sections of streams and ponds. */
import { el } from '../kit/dom.js';
import { caption, handle, small } from '../kit/notes.js';

const FOOT = 22;

/** @param {number[][]} points */
const line = (points) => `M${points.map((p) => `${p[0].toFixed(1)} ${p[1].toFixed(1)}`).join('L')}`;

/**
 * Words over a drawing: parts between semicolons share a line where both fit whole; one too long is broken.
 * @param {Element} svg
 * @param {number} x
 * @param {string} words
 * @param {number} wide
 */
function told(svg, x, words, wide) {
  const room = Math.max(12, Math.floor(wide / 7.4)),
    lines = [''];
  const put = (text, between) => {
    const last = lines[lines.length - 1],
      joined = last ? last + between + text : text;
    if (last && joined.length > room) lines.push(text);
    else lines[lines.length - 1] = joined;
  };
  for (const part of words.split('; '))
    if (part.length <= room) put(part, ' · ');
    else part.split(' ').forEach((word, k) => put(word, k ? ' ' : ' · '));
  lines.forEach((text, k) => caption(svg, x, 14 + 15 * k, text));
  return 14 + 15 * lines.length;
}

/**
 * @param {Element} svg
 * @param {any} data what the bench was answered, and the size `W`, `H` of the drawing
 * @param {(name: string, e: PointerEvent, scales: any) => void} [grab] a press on a handle
 */
export function drawWaves(svg, data, grab = () => {}) {
  svg.replaceChildren();
  const { W, H } = data;
  if (data.beach) {
    drawBeach(svg, data);
    return;
  }
  if (data.stream) {
    drawStream(svg, data, grab);
    return;
  }
  if (data.section) {
    drawPond(svg, data, grab);
    return;
  }
  if (!data.spectrum.length) {
    svg.append(el('text', { x: 12, y: 24, 'font-size': 13, fill: 'var(--faint)' }, data.words));
    return;
  }
  const others = [data.shore, data.tide].filter(Boolean).length,
    top = others ? told(svg, 8, data.words, W - 12) - 8 : 0,
    each = W / (others + 1),
    below = (/** @type {number} */ x) => svg.appendChild(el('g', { transform: `translate(${x} ${top})` }));
  drawSpectrum(below(0), { ...data, words: others ? '' : data.words, W: each, H: H - top }, grab);
  if (data.shore) drawShore(below(each), { W: each, H: H - top, ...data.shore });
  if (data.tide) drawTide(below(W - each), { W: each, H: H - top, ...data.tide }, grab);
}

function drawSpectrum(svg, { W, H, spectrum, words, peak }, grab) {
  const highest = spectrum[spectrum.length - 1][0],
    top = Math.max(...spectrum.map((p) => p[1])) || 1,
    head = words ? Math.min(H * 0.5, 20 + told(svg, 8, words, W - 12)) : 14,
    X = (f) => 34 + (f / highest) * (W - 50),
    Y = (s) => H - FOOT - (s / top) * (H - FOOT - head);
  svg.append(
    el('path', { d: `M34 ${H - FOOT}H${W - 10}`, stroke: 'var(--contour-index)' }),
    el('path', {
      d: `${line(spectrum.map((p) => [X(p[0]), Y(p[1])]))}L${X(highest)} ${H - FOOT}L${X(0)} ${H - FOOT}Z`,
      fill: 'var(--water)',
      stroke: 'var(--tide)',
      'stroke-width': 1.6,
    }),
  );
  let after = Infinity;
  for (const s of [2, 3, 4, 6, 10]) {
    const f = 1 / s;
    if (X(f) >= W - 10 || after - X(f) < 30) continue;
    after = X(f);
    svg.append(el('line', { x1: X(f), x2: X(f), y1: H - FOOT, y2: H - 18, stroke: 'var(--ink)' }));
    small(svg, X(f), H - 6, `${s} s`, { 'text-anchor': 'middle' });
  }
  if (peak) {
    const by = peak.by === 'wind' ? 'Drag up for more wind' : 'Drag for height and period';
    handle(svg, { x: X(1 / peak.period), y: Y(top), name: 'peak', title: by }, (e) =>
      grab('peak', e, { ...peak, perHertz: (W - 50) / highest, perHeight: (H - FOOT - head) / 2 }),
    );
  }
}

function drawShore(svg, { W, H, edge, run_up, words }) {
  const g = svg.appendChild(el('g', { 'data-shore': 1 })),
    head = told(g, 8, words, W - 14),
    heights = edge.map((p) => p[1]),
    lo = Math.min(0, ...heights) - 0.05,
    hi = Math.max(run_up, ...heights) + 0.05,
    last = edge[edge.length - 1][0],
    X = (t) => 34 + (t / last) * (W - 46),
    Y = (z) => H - FOOT - ((z - lo) / (hi - lo)) * (H - FOOT - head - 6),
    foot = `L${X(last)} ${H - FOOT}L${X(0)} ${H - FOOT}Z`;
  g.append(
    el('line', { x1: 0, x2: 0, y1: 6, y2: H - 4, stroke: 'var(--rule)' }),
    el('path', { d: line(edge.map((p) => [X(p[0]), Y(p[1])])) + foot, fill: 'var(--water)', stroke: 'var(--tide)' }),
    el('path', { d: `M34 ${Y(run_up)}H${W - 10}`, stroke: 'var(--brick)', 'stroke-dasharray': '4 3' }),
    el('path', { d: `M34 ${Y(0)}H${W - 10}`, stroke: 'var(--contour-index)', 'stroke-dasharray': '1 4' }),
  );
  small(g, 30, Y(run_up) + 3, run_up.toFixed(1), { 'text-anchor': 'end' });
  small(g, 30, Y(0) + 3, '0', { 'text-anchor': 'end' });
  const every = [2, 4, 6, 12, 30, 60].find((step) => X(step) - X(0) > 34) || last;
  for (let t = 0; t <= last; t += every) small(g, X(t), H - 6, `${t} s`, { 'text-anchor': 'middle' });
}

function drawTide(svg, { W, H, curve, range, high, span, words }, grab) {
  const g = svg.appendChild(el('g', { 'data-tide': 1 })),
    head = told(g, 8, words, W - 14),
    half = range / 2,
    X = (h) => 34 + (h / 24) * (W - 46),
    Y = (z) => H - FOOT - ((z + half) / (2 * half)) * (H - FOOT - head - 12);
  g.append(
    el('line', { x1: 0, x2: 0, y1: 6, y2: H - 4, stroke: 'var(--rule)' }),
    el('rect', {
      x: X(span[0]),
      y: head,
      width: Math.max(2.5, X(span[1]) - X(span[0])),
      height: Math.max(1, H - FOOT - head),
      fill: 'var(--amber-fill)',
      'fill-opacity': 0.6,
    }),
    el('path', {
      d: line(curve.map((p) => [X(p[0]), Y(p[1])])),
      fill: 'none',
      stroke: 'var(--tide)',
      'stroke-width': 1.8,
    }),
  );
  for (const h of [0, 6, 12, 18, 24]) small(g, X(h), H - 6, `${h}`, { 'text-anchor': 'middle' });
  for (const z of [half, -half]) small(g, 30, Y(z) + 3, z.toFixed(1), { 'text-anchor': 'end' });
  handle(
    g,
    { x: X(high), y: Y(half), name: 'tide', title: 'Drag to the hour of high water, up for more tide' },
    (e) => grab('tide', e, { high, range, perHour: (W - 46) / 24, perMetre: (H - FOOT - head - 12) / range }),
  );
}

function drawStream(svg, { W, H, stream, words, depth, by }, grab) {
  const head = told(svg, 8, words, W - 12),
    last = stream[stream.length - 1][0],
    lo = Math.min(...stream.map((r) => r[3])),
    hi = Math.max(...stream.map((r) => Math.max(r[1], r[2]))),
    h1 = Math.max(head + 28, H * 0.64),
    X = (s) => 40 + (s / last) * (W - 54),
    Y = (z) => h1 - ((z - lo) / Math.max(0.2, hi - lo)) * (h1 - head - 8),
    fastest = Math.max(0.5, ...stream.map((r) => r[4])) * 1.1,
    V = (v) => H - FOOT - (v / fastest) * (H - FOOT - h1 - 14),
    bed = stream.map((r) => [X(r[0]), Y(r[3])]),
    surface = stream.map((r) => [X(r[0]), Y(r[2])]);
  svg.append(
    el('path', {
      d: `${line(bed)}L${X(last)} ${h1 + 4}L${X(0)} ${h1 + 4}Z`,
      fill: 'var(--contour)',
      'fill-opacity': 0.5,
      stroke: 'var(--contour-index)',
    }),
    el('path', { d: `${line(surface)}L${line(bed.slice().reverse()).slice(1)}Z`, fill: 'var(--water)' }),
    el('path', { d: line(surface), fill: 'none', stroke: 'var(--tide)', 'stroke-width': 1.8, 'data-surface': 1 }),
    el('path', {
      d: line(stream.map((r) => [X(r[0]), Y(r[1])])),
      fill: 'none',
      stroke: 'var(--faint)',
      'stroke-dasharray': '2 3',
    }),
    el('line', { x1: 0, x2: W, y1: h1 + 6, y2: h1 + 6, stroke: 'var(--rule)' }),
    el('path', {
      d: line(stream.map((r) => [X(r[0]), V(r[4])])),
      fill: 'none',
      stroke: 'var(--marsh)',
      'stroke-width': 1.6,
      'data-speed': 1,
    }),
  );
  // where it shoots
  for (const r of stream)
    if (r[6] > 1) svg.append(el('circle', { cx: X(r[0]), cy: V(r[4]), r: 1.6, fill: 'var(--brick)' }));
  const step = last > 200 ? 50 : last > 60 ? 20 : 5;
  for (let s = 0; s <= last; s += step) small(svg, X(s), H - 6, `${s} m`, { 'text-anchor': 'middle' });
  small(svg, 36, V(fastest / 1.1) + 3, (fastest / 1.1).toFixed(1), { 'text-anchor': 'end' });
  small(svg, W - 8, h1 + 18, 'm/s', { 'text-anchor': 'end' });
  const middle = stream[Math.floor(stream.length / 2)];
  handle(svg, { x: X(middle[0]), y: Y(middle[2]), name: 'depth', title: 'Drag up to make it deeper' }, (e) =>
    grab('depth', e, { depth, by, perMetre: (h1 - head - 8) / Math.max(0.2, hi - lo) }),
  );
}

function drawPond(svg, { W, H, section, level, depth, words }, grab) {
  const head = told(svg, 8, words, W - 12);
  if (!section.length) return;
  const last = section[section.length - 1][0],
    first = section[0][0],
    lo = Math.min(...section.map((p) => p[1])),
    hi = Math.max(level || -1e9, ...section.map((p) => p[1])),
    X = (s) => 40 + ((s - first) / (last - first)) * (W - 54),
    Y = (z) => H - FOOT - ((z - lo) / Math.max(0.2, hi - lo)) * Math.max(20, H - FOOT - head - 8);
  if (level !== null) {
    const wet = section.filter((p) => p[1] < level).map((p) => p[0]);
    if (wet.length) {
      const [a, b] = [Math.min(...wet), Math.max(...wet)];
      svg.append(
        el('rect', { x: X(a), y: Y(level), width: X(b) - X(a), height: H - FOOT - Y(level), fill: 'var(--water)' }),
        el('path', { d: `M${X(a)} ${Y(level)}H${X(b)}`, stroke: 'var(--tide)', 'stroke-width': 1.8 }),
      );
    }
  }
  svg.append(
    el('path', {
      d: `${line(section.map((p) => [X(p[0]), Y(p[1])]))}L${X(last)} ${H - FOOT}L${X(first)} ${H - FOOT}Z`,
      fill: 'var(--contour)',
      stroke: 'var(--contour-index)',
    }),
  );
  if (level !== null) {
    const deepest = section.reduce((a, p) => (p[1] < a[1] ? p : a), section[0]);
    handle(
      svg,
      { x: X(deepest[0]), y: Y(deepest[1]), name: 'depth', title: 'Drag down to dig it deeper' },
      (/** @type {PointerEvent} */ e) =>
        grab('dug', e, { depth, perMetre: Math.max(20, H - FOOT - head - 8) / Math.max(0.2, hi - lo) }),
    );
  }
}

// over squares, as what has alpha is shown
function drawBeach(svg, { W, H, picture, words }) {
  const head = told(svg, 8, words, W - 12),
    high = Math.min(H - head - 6, ((W - 16) * 9) / 16),
    wide = (high * 16) / 9,
    x = (W - wide) / 2,
    g = el('g', { 'data-beach': 1 }),
    side = high / 9;
  for (let i = 0; i < 16; i++)
    for (let j = 0; j < 9; j++)
      g.append(
        el('rect', {
          x: x + i * side,
          y: head + j * side,
          width: side,
          height: side,
          fill: (i + j) % 2 ? 'var(--contour)' : 'var(--sheet)',
        }),
      );
  g.append(el('image', { href: picture, x, y: head, width: wide, height: high }));
  svg.append(g);
}
