/* A model's front beside a person, at a size that it may have. */
import { el } from '../kit/dom.js';

export const PERSON = 1.75;

// a person seen from the front, one metre wide and as tall as it stands: a head over a body with legs
const BODY =
  'M-.13 -.9h.26l.1 .06l.06 .5h-.1l-.05 -.36l-.02 .28l-.02 .42h-.09l-.01 -.4l-.01 .4h-.09' +
  'l-.02 -.42l-.02 -.28l-.05 .36h-.1l.06 -.5z';

/**
 * Draws into a box of the given width and height [px]; the larger of both fills it.
 * @param {Element} svg
 * @param {any} data rings of the front in the file's units, with their foot at 0 (`front`), metres for one of them
 *   (`scale`), `width` and `height`
 */
export function drawSize(svg, { front, scale, width, height }) {
  const xs = front.flat().map((/** @type {number[]} */ p) => p[0] * scale),
    zs = front.flat().map((/** @type {number[]} */ p) => p[1] * scale),
    [low, high] = [Math.min(...xs), Math.max(...xs)],
    tall = Math.max(...zs, 0.001),
    wide = high - low,
    gap = Math.max(0.3, 0.06 * wide),
    per = Math.min((height - 6) / Math.max(tall, PERSON), (width - 8) / (wide + gap + 0.6)),
    x0 = (width - (wide + gap + 0.6) * per) / 2,
    foot = height - 3;
  svg.setAttribute('viewBox', `0 0 ${width} ${height}`);
  /** @param {number[]} p */
  const spot = (p) => `${(x0 + (p[0] * scale - low) * per).toFixed(2)} ${(foot - p[1] * scale * per).toFixed(2)}`;
  const d = front.map((/** @type {number[][]} */ ring) => `M${ring.map(spot).join('L')}Z`).join('');
  const m = PERSON * per,
    at = x0 + (wide + gap + 0.3) * per;
  svg.replaceChildren(
    el('path', { d: `M0 ${foot + 0.5}H${width}`, stroke: 'var(--rule)', 'stroke-width': 1 }),
    el('path', {
      d,
      fill: 'var(--tide)',
      'fill-opacity': 0.35,
      stroke: 'var(--tide)',
      'fill-rule': 'evenodd',
      'data-front': '',
    }),
    el(
      'g',
      {
        transform: `translate(${at.toFixed(2)} ${foot}) scale(${m.toFixed(3)})`,
        fill: 'var(--ink)',
        'data-person': '',
      },
      el('circle', { cx: 0, cy: -0.94, r: 0.06 }),
      el('path', { d: BODY, transform: 'scale(.72 .97)' }),
    ),
  );
}
