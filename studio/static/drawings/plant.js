/* The plant sheet: one plant on grey, what of it swings how quickly against the gusts, and its dials. */
import { clamp, el } from '../kit/dom.js';
import { caption, handle, small } from '../kit/notes.js';

const MONTHS = 'JFMAMJJASOND';

/**
 * @param {Element} svg
 * @param {any} data the size `W`, `H`; what the sheet says (`told`); the picture's address
 * @param {{ turn: (e: PointerEvent) => void, dial: (name: string, e: PointerEvent, span: number[]) => void }} acts
 * @returns {Element} where the picture is shown
 */
export function drawPlant(svg, { W, H, told, picture }, acts) {
  const wide = Math.min((H * 4) / 3, W * 0.56),
    high = (wide * 3) / 4,
    x0 = wide + 14,
    room = W - x0 - 10;
  const shown = el('image', {
    x: 0,
    y: (H - high) / 2,
    width: wide,
    height: high,
    href: picture,
    style: 'cursor:ew-resize;touch-action:none',
    'data-sheet': 'picture',
    role: 'img',
    'aria-label': `${told.name} on grey`,
  });
  shown.append(el('title', {}, 'Drag to look from another side'));
  shown.addEventListener('pointerdown', acts.turn);
  svg.append(el('rect', { x: 0, y: 0, width: wide, height: H, fill: '#8b8b8b' }), shown);
  if (room < 90) return shown;
  // where there is little height the dials stand beside the gusts, else below them
  const beside = H < 150 && room > 300,
    half = beside ? room * 0.5 - 8 : room,
    dx = beside ? x0 + half + 16 : x0,
    dy = beside ? H * 0.36 : H - 50,
    apart = beside ? H * 0.36 : 36;
  drawGusts(svg, { x: x0, y: 6, W: half, H: beside ? H - 10 : H - 78, told });
  drawDial(svg, { x: dx, y: dy, W: half, name: 'month', value: told.month, span: [1, 13] }, acts.dial);
  drawDial(svg, { x: dx, y: dy + apart, W: half, name: 'grown', value: told.grown, span: [0, 1] }, acts.dial);
  return shown;
}

function drawGusts(svg, { x, y, W, H, told }) {
  if (H < 44) return;
  const head = y + 15,
    foot = y + H - 14,
    X = (hz) => x + (Math.log(clamp(hz, 0.02, 10) / 0.02) / Math.log(10 / 0.02)) * W,
    Y = (v) => foot - v * (foot - head - 4),
    points = told.gusts.map(([hz, v]) => `${X(hz).toFixed(1)} ${Y(v).toFixed(1)}`);
  svg.append(
    el(
      'path',
      {
        d: `M${x} ${foot}L${points.join('L')}L${x + W} ${foot}Z`,
        fill: 'var(--contour)',
        'fill-opacity': 0.35,
        stroke: 'var(--contour-index)',
      },
      el('title', {}, `Gusts of a wind of ${told.wind.toFixed(1)} m/s, by how often they come`),
    ),
  );
  for (const hz of [0.1, 1, 10])
    small(svg, X(hz), foot + 12, hz === 10 ? '10 Hz' : String(hz), { 'text-anchor': hz === 10 ? 'end' : 'middle' });
  small(svg, x + 3, foot - 4, 'gusts');
  const parts = Object.keys(told.swings);
  for (const id of parts) {
    const hz = told.swings[id],
      at = X(hz);
    svg.append(
      el(
        'line',
        { x1: at, x2: at, y1: foot, y2: head + 2, stroke: 'var(--marsh)', 'stroke-width': 1.8, 'data-swing': id },
        el('title', {}, `${id} swing at ${hz.toFixed(2)} Hz`),
      ),
    );
  }
  const said = parts.map((id) => `${id} ${told.swings[id].toFixed(told.swings[id] < 1 ? 2 : 1)}`).join(', ');
  const line = !parts.length ? 'It lies still.' : W > 290 ? `it swings at ${said} Hz` : `${said} Hz`;
  small(svg, x, y + 9, line, { fill: 'var(--ink)', 'font-size': 10 });
}

function drawDial(svg, { x, y, W, name, value, span }, dial) {
  const left = x + 52,
    wide = W - 62,
    X = (v) => left + ((v - span[0]) / (span[1] - span[0])) * wide;
  caption(svg, x, y + 4, name === 'month' ? 'season' : 'grown');
  svg.append(el('line', { x1: left, x2: left + wide, y1: y, y2: y, stroke: 'var(--contour-index)' }));
  if (name === 'month')
    [...MONTHS].forEach((letter, k) =>
      small(svg, X(k + 1.5), y + 15, letter, { 'text-anchor': 'middle', 'font-size': 9.5 }),
    );
  const title = name === 'month' ? 'The season: drag along the year' : 'How far it has grown: drag';
  handle(svg, { x: X(value), y, name, title }, (e) => dial(name, e, [span[0], span[1], wide]));
}
