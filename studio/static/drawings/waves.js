/* The waves' spectrum: energy over frequency, with periods along its foot. */
import { el } from '../kit/dom.js';
import { caption } from '../kit/notes.js';

/**
 * @param {Element} svg
 * @param {{ W: number, H: number, spectrum: number[][], words: string }} data rows of frequency in hertz and energy
 */
export function drawWaves(svg, { W, H, spectrum, words }) {
  svg.replaceChildren();
  if (!spectrum.length) {
    svg.append(el('text', { x: 12, y: 24, 'font-size': 13, fill: 'var(--faint)' }, words));
    return;
  }
  const highest = spectrum[spectrum.length - 1][0];
  const top = Math.max(...spectrum.map((p) => p[1])),
    X = (f) => 34 + (f / highest) * (W - 50),
    Y = (s) => H - 22 - (s / top) * (H - 52);
  svg.append(
    el('path', {
      d: `M34 ${H - 22}H${W - 10}`,
      stroke: 'var(--contour-index)',
    }),
    el('path', {
      d:
        'M' +
        spectrum.map((p) => `${X(p[0]).toFixed(1)} ${Y(p[1]).toFixed(1)}`).join('L') +
        `L${X(highest)} ${H - 22}L${X(0)} ${H - 22}Z`,
      fill: 'var(--water)',
      stroke: 'var(--tide)',
      'stroke-width': 1.6,
    }),
  );
  for (const s of [2, 3, 4, 6, 10]) {
    const f = 1 / s;
    if (X(f) < W - 10)
      svg.append(
        el('line', {
          x1: X(f),
          x2: X(f),
          y1: H - 22,
          y2: H - 18,
          stroke: 'var(--ink)',
        }),
        el(
          'text',
          {
            x: X(f),
            y: H - 6,
            'font-size': 10.5,
            'text-anchor': 'middle',
            fill: 'var(--faint)',
            'font-family': 'IBM Plex Mono',
          },
          `${s} s`,
        ),
      );
  }
  words.split('; ').forEach((line, k) => caption(svg, 8, 14 + 15 * k, line));
}
