/* The air by its height over the ground: clouds and fog as a section, the wind beside them. */
import { el } from '../kit/dom.js';
import { caption } from '../kit/notes.js';

const MARKS = [0, 50, 200, 500, 1000, 2000, 4000, 8000, 12000, 16000];
const BEND = 0.45; // of the scale of heights: near the ground it is wider
const SIDE = 0.7; // share of the width that the section takes, the wind has the rest

/**
 * Heights of the drawing: y of a height over the datum in metres, and back.
 * @param {number} H
 * @param {number} ground
 * @param {number} top
 */
export const heightScales = (H, ground, top) => ({
  Y: (z) => H - 14 - (H - 44) * Math.max(0, (z - ground) / (top - ground)) ** BEND,
  height: (y) => ground + (top - ground) * Math.max(0, (H - 14 - y) / (H - 44)) ** (1 / BEND),
});

const asHeight = (z) => (z >= 1000 ? `${(z / 1000).toFixed(1)} km` : `${Math.round(z)} m`);

function axis(svg, { Y }, W, ground, top) {
  let last = Infinity;
  for (const z of MARKS) {
    const y = Y(ground + z);
    if (ground + z > top || last - y < 13) continue;
    last = y;
    svg.append(
      el('line', { x1: 44, x2: W, y1: y, y2: y, stroke: 'var(--rule)' }),
      el('text', { x: 40, y: y + 3.5, 'font-size': 10.5, 'text-anchor': 'end', fill: 'var(--faint)' }, asHeight(z)),
    );
  }
}

// heaps that cover so many eighths of the band between a foot and a top
function heaps(svg, from, to, foot, top, oktas) {
  const count = Math.max(2, Math.round((to - from) / 58)),
    step = (to - from) / count,
    wide = step * Math.min(1, 0.18 + oktas / 8);
  for (let k = 0; k < count; k++) {
    const x = from + (k + 0.5) * step,
      rise = (foot - top) * (0.55 + 0.45 * Math.abs(Math.sin(7.3 * k + 1)));
    svg.append(
      el('path', {
        d: `M${x - wide / 2} ${foot}q${wide * 0.02} ${-rise} ${wide * 0.5} ${-rise}t${wide * 0.5} ${rise}Z`,
        fill: 'var(--tide)',
        'fill-opacity': 0.22,
      }),
    );
  }
}

// a line that one takes hold of
function handle(svg, { what, x1, x2, y, words }, drag) {
  const line = el('line', {
    x1,
    x2,
    y1: y,
    y2: y,
    stroke: 'var(--ink)',
    'stroke-width': 1.6,
    'stroke-dasharray': what === 'top' ? '5 3' : null,
    'pointer-events': 'none',
  });
  const grip = el('rect', {
    x: x1,
    y: y - 6,
    width: x2 - x1,
    height: 12,
    fill: 'transparent',
    style: 'cursor:ns-resize',
    'data-air': what,
  });
  const left = what === 'top';
  const told = el(
    'text',
    {
      x: left ? x1 + 6 : x2 - 4,
      y: what === 'base' ? y + 12 : y - 4,
      'font-size': 11,
      'text-anchor': left ? 'start' : 'end',
      fill: 'var(--ink)',
    },
    words,
  );
  grip.append(el('title', {}, 'Drag it up or down'));
  grip.addEventListener('pointerdown', (press) => drag(what, press, [line, told]));
  svg.append(line, told, grip);
}

function windBeside(svg, wind, scales, from, [W, H], ground) {
  const fastest = Math.max(5, ...wind.map((one) => one[1])) * 1.1,
    X = (v) => from + 16 + (v / fastest) * (W - from - 30),
    d = wind.map(([z, v], i) => `${i ? 'L' : 'M'}${X(v).toFixed(1)} ${scales.Y(ground + z).toFixed(1)}`).join('');
  svg.append(
    el('line', { x1: X(0), x2: X(0), y1: 26, y2: scales.Y(ground), stroke: 'var(--contour-index)' }),
    el('path', { d, fill: 'none', stroke: 'var(--marsh)', 'stroke-width': 1.8, 'data-wind': 1 }),
  );
  let last = Infinity;
  for (const [z, v] of wind) {
    const y = scales.Y(ground + z);
    if (last - y < 14) continue;
    last = y;
    svg.append(
      el('circle', { cx: X(v), cy: y, r: 2.2, fill: 'var(--marsh)' }),
      el(
        'text',
        { x: X(v) - 6, y: y + 3.5, 'font-size': 10.5, 'text-anchor': 'end', fill: 'var(--ink)' },
        v.toFixed(v < 10 ? 1 : 0),
      ),
    );
  }
  svg.append(
    el('text', { x: W - 6, y: H - 3, 'font-size': 11, 'text-anchor': 'end', fill: 'var(--faint)' }, 'wind, m/s'),
  );
}

/**
 * @param {Element} svg
 * @param {Record<string, any>} data
 *   `W`, `H`; `ground` and `eye`, heights in metres over the datum; `wind` as rows of height over the ground and
 *   speed; `low` clouds by oktas, base and thick, `high` ones by amount and height, or null; `fog` by base, height and
 *   sight; `words` that are read off
 * @param {(what: string, press: PointerEvent, shown: Element[]) => void} drag  when a height is taken hold of
 * @returns {any} the drawing's scale of heights
 */
export function drawSounding(svg, { W, H, ground, eye, wind, low, high, fog, words }, drag) {
  const side = W * SIDE,
    top = Math.max(ground + 3000, low ? 1.15 * (low.base + low.thick) : 0, high ? 1.1 * high.height : 0),
    scales = heightScales(H, ground, top),
    { Y } = scales;
  axis(svg, scales, W, ground, top);
  if (fog.sight < 20000) {
    const upper = Y(Math.max(ground, fog.base + fog.height));
    svg.append(
      el('rect', {
        x: 46,
        y: upper,
        width: side - 46,
        height: Math.max(2, Y(ground) - upper),
        fill: 'var(--contour)',
        'fill-opacity': Math.min(0.6, 0.12 + 300 / fog.sight),
      }),
    );
  }
  svg.append(
    el('rect', {
      x: 46,
      y: Y(ground),
      width: W - 46,
      height: H - Y(ground),
      fill: 'var(--contour)',
      'fill-opacity': 0.5,
    }),
  );
  svg.append(
    el('path', {
      d: `M52 ${Y(eye) - 4}l9 4l-9 4z`,
      fill: 'var(--amber-fill)',
      stroke: 'var(--ink)',
      'stroke-width': 1,
    }),
    el('text', { x: 66, y: Y(eye) - 1, 'font-size': 10.5, fill: 'var(--faint)' }, 'camera'),
  );
  if (high) {
    const y = Y(high.height);
    for (let k = 0; k < 14; k++)
      svg.append(
        el('path', {
          d: `M${60 + (k * (side - 90)) / 14} ${y + 3 * Math.sin(3 * k)}q14 -5 30 -2`,
          fill: 'none',
          stroke: 'var(--tide)',
          'stroke-width': 1.2,
          'stroke-opacity': 0.15 + high.amount / 10,
        }),
      );
    handle(svg, { what: 'high', x1: 46, x2: side, y, words: `ice clouds ${asHeight(high.height)}` }, drag);
  }
  if (low) {
    const foot = Y(low.base),
      head = Y(low.base + low.thick);
    heaps(svg, 50, side, foot, head, low.oktas);
    handle(svg, { what: 'top', x1: 46, x2: side, y: head, words: `tops ${asHeight(low.base + low.thick)}` }, drag);
    handle(svg, { what: 'base', x1: 46, x2: side, y: foot, words: `base ${asHeight(low.base)}` }, drag);
  }
  windBeside(
    svg,
    wind.filter(([z]) => ground + z <= top),
    scales,
    side,
    [W, H],
    ground,
  );
  caption(svg, 8, 14, words.join(' · '));
  return scales;
}
