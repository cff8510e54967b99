/* The section along the way: ground and camera over time, and the pacing under it. */
import { el } from '../kit/dom.js';
import { fault } from '../kit/notes.js';

// heights from and to, with room above and below
/** @param {number[][]} rows */
function rangeOf(rows) {
  const lo = Math.min(...rows.map((r) => Math.min(r[7], r[3]))),
    hi = Math.max(...rows.map((r) => r[3])),
    pad = Math.max(0.6, (hi - lo) * 0.18);
  return [lo - pad, hi + pad];
}

/**
 * @param {Element} svg
 * @param {any} data size `W`, `H`; the `route` with its samples and stations; `seconds` of the shot; heights to show
 *   as `range`, or none; `pacing` while the pace is drawn; the `selected` station; `walks`; faults found as `wrong`
 * @param {(e: PointerEvent, station: any) => void} onHeight a press on a station's mark
 * @returns {any} the drawing's scales, texts, head and stroke; null where there is no way to draw
 */
export function drawSection(svg, { W, H, route, seconds, range, pacing, selected, walks, wrong }, onHeight) {
  const rows = route.samples,
    mono = 'IBM Plex Mono';
  if (route.fault) {
    fault(svg, W, H, route.fault);
    return null;
  }
  if (!rows.length) {
    svg.append(
      el(
        'text',
        { x: 12, y: 24, 'font-size': 13, fill: 'var(--faint)' },
        'The section and the pace are drawn here once the route has a station.',
      ),
    );
    return null;
  }
  const h1 = H * 0.58,
    X = (t) => (t / seconds) * W;
  const [lo, hi] = range || rangeOf(rows),
    Y = (z) => h1 - 4 - ((z - lo) / (hi - lo)) * (h1 - 24);
  shadeFaults(svg, wrong, X, H);
  svg.append(
    el('path', {
      d: 'M0 ' + h1 + 'L' + rows.map((r) => `${X(r[0]).toFixed(1)} ${Y(r[7]).toFixed(1)}`).join('L') + `L${W} ${h1}Z`,
      fill: 'var(--contour)',
      'fill-opacity': 0.42,
      stroke: 'var(--contour-index)',
      'stroke-width': 1,
    }),
  );
  svg.append(
    el('path', {
      d: 'M' + rows.map((r) => `${X(r[0]).toFixed(1)} ${Y(r[3]).toFixed(1)}`).join('L'),
      fill: 'none',
      stroke: 'var(--ink)',
      'stroke-width': 1.8,
      'data-camera': 1,
    }),
  );
  const top = Math.max(1.5, ...rows.map((r) => r[8])) * 1.2,
    turn = Math.max(40, ...rows.map((r) => r[9])) * 1.15,
    Y2 = (v, m) => H - 3 - (v / m) * (H - h1 - 20);
  const scale = {
    top,
    h1,
    H,
    mean: rows.reduce((a, r) => a + r[8], 0) / rows.length,
  };
  svg.append(
    el('rect', {
      x: 0,
      y: h1,
      width: W,
      height: H - h1,
      fill: pacing ? 'var(--amber-fill)' : 'transparent',
      'fill-opacity': 0.25,
      'data-pacing': 1,
      style: pacing ? 'cursor:crosshair' : null,
    }),
    el('line', { x1: 0, x2: W, y1: h1, y2: h1, stroke: 'var(--rule)' }),
  );
  svg.append(
    el('path', {
      d: 'M' + rows.map((r) => `${X(r[0]).toFixed(1)} ${Y2(r[8], top).toFixed(1)}`).join('L'),
      fill: 'none',
      stroke: 'var(--marsh)',
      'stroke-width': 1.8,
      'data-speed': 1,
    }),
  );
  svg.append(
    el('path', {
      d: 'M' + rows.map((r) => `${X(r[0]).toFixed(1)} ${Y2(r[9], turn).toFixed(1)}`).join('L'),
      fill: 'none',
      stroke: 'var(--amber)',
      'stroke-width': 1.4,
      'stroke-dasharray': '4 3',
    }),
  );
  let above = Infinity;
  for (const [v, words] of /** @type {[number, string][]} */ ([
    [1.4, 'a walk'],
    [5, 'a cyclist'],
    [12, 'a slow drone'],
  ]))
    if (v < top && Y2(v, top) > h1 + 18 && above - Y2(v, top) > 12 && Y2(v, top) < H - 8 && (above = Y2(v, top)))
      svg.append(
        el('path', {
          d: `M0 ${Y2(v, top)}h${W}`,
          stroke: 'var(--rule)',
          'stroke-dasharray': '1 4',
        }),
        el(
          'text',
          {
            x: W - 6,
            y: Y2(v, top) - 2,
            'font-size': 10,
            'text-anchor': 'end',
            fill: 'var(--faint)',
          },
          words,
        ),
      );
  for (const st of route.stations) {
    if (st.t === null) continue;
    const on = st.id === selected,
      box = el('rect', {
        x: X(st.t) - 4.5,
        y: Y(st.up) - 4.5,
        width: 9,
        height: 9,
        fill: on ? 'var(--amber-fill)' : 'var(--sheet)',
        stroke: 'var(--ink)',
        'stroke-width': 1.4,
        style: walks ? null : 'cursor:ns-resize',
        'data-height': st.id,
      });
    box.addEventListener('pointerdown', (e) => onHeight(e, st));
    svg.append(box);
  }
  const sectionText = svg.appendChild(
    el('text', {
      x: 8,
      y: 14,
      'font-size': 11.5,
      fill: 'var(--ink)',
      'font-family': mono,
    }),
  );
  const paceText = svg.appendChild(
    el('text', {
      x: 8,
      y: h1 + 14,
      'font-size': 11.5,
      fill: 'var(--ink)',
      'font-family': mono,
    }),
  );
  const head = svg.appendChild(
    el('line', {
      y1: 0,
      y2: H,
      stroke: 'var(--amber)',
      'stroke-width': 1.6,
      'pointer-events': 'none',
    }),
  );
  const stroke = svg.appendChild(
    el('path', {
      'pointer-events': 'none',
      fill: 'none',
      stroke: 'var(--amber)',
      'stroke-width': 2.4,
    }),
  );
  return { range: [lo, hi], perMetre: (h1 - 24) / (hi - lo), scale, sectionText, paceText, head, stroke };
}

// what the ride check dislikes: shaded once however many say so, and a bar for each in as few rows as they need
/**
 * @param {Element} svg
 * @param {any[]} found
 * @param {(t: number) => number} X
 * @param {number} H
 */
function shadeFaults(svg, found, X, H) {
  const spans = found.map((f) => [X(f.from_s), Math.max(X(f.from_s) + 3, X(f.to_s))]),
    ends = [];
  let reach = -1;
  for (const [a, b] of [...spans].sort((p, q) => p[0] - q[0])) {
    if (b > reach)
      svg.append(
        el('rect', {
          x: Math.max(a, reach),
          y: 18,
          width: b - Math.max(a, reach),
          height: H - 18,
          fill: 'var(--brick)',
          'fill-opacity': 0.1,
        }),
      );
    reach = Math.max(reach, b);
  }
  found.forEach((f, k) => {
    const [a, b] = spans[k];
    let row = ends.findIndex((end) => end < a - 2);
    if (row < 0) row = ends.length;
    ends[row] = b;
    const y = H - 2 - 4 * Math.min(row, 5);
    svg.append(
      el(
        'path',
        {
          d: `M${a} ${y}H${b}`,
          stroke: 'var(--brick)',
          'stroke-width': 2.6,
          'data-fault': f.kind,
        },
        el('title', {}, f.text),
      ),
    );
    if (found.length < 7 && b - a > 6.2 * f.kind.length)
      svg.append(el('text', { x: a + 3, y: y - 4, 'font-size': 10, fill: 'var(--brick)' }, f.kind));
  });
}

/**
 * The head, and what is read off at it.
 * @param {any} drawn what `drawSection` answered
 * @param {{ x: number, r: number[], here: any[], wide: number }} data where it stands, the way's row and faults there
 */
export function drawSectionHead(drawn, { x, r, here, wide }) {
  drawn.head.setAttribute('x1', x);
  drawn.head.setAttribute('x2', x);
  const words = here.length > 1 ? [...new Set(here.map((f) => f.kind))].join(', ') : here.length ? here[0].text : '',
    room = Math.floor(wide / 7.1) - 3;
  drawn.sectionText.textContent = words
    ? words.length > room
      ? `${words.slice(0, room)}…`
      : words
    : `section: camera ${(r[3] - r[7]).toFixed(1)} m over what is below`;
  drawn.sectionText.setAttribute('fill', here.length ? 'var(--brick)' : 'var(--ink)');
  drawn.paceText.textContent = `pace ${r[8].toFixed(1)} m/s, turning ${r[9].toFixed(0)}°/s (dashed)`;
}
