/* Words in a drawing: what it shows, and why it cannot be drawn. */
import { el } from './dom.js';

/**
 * Words in the figures' hand, in ink.
 * @param {Element} svg
 * @param {number} x
 * @param {number} y of the line they stand on
 * @param {string} words
 */
export function caption(svg, x, y, words) {
  svg.append(el('text', { x, y, 'font-size': 11.5, fill: 'var(--ink)', 'font-family': 'IBM Plex Mono' }, words));
}

/**
 * Why nothing can be drawn, over the whole of it.
 * @param {Element} svg
 * @param {number} W
 * @param {number} H
 * @param {string} words
 */
export function fault(svg, W, H, words) {
  const said = Object.assign(document.createElement('p'), {
    className: 'text-sm text-brick m-0',
    textContent: words,
  });
  svg.append(el('foreignObject', { x: 8, y: 6, width: W - 16, height: H - 12 }, said));
}

/**
 * Small words beside a line or an axis.
 * @param {Element} svg
 * @param {number} x
 * @param {number} y
 * @param {string} text
 * @param {Record<string, any>} [more]
 */
export function small(svg, x, y, text, more = {}) {
  const shown = { x, y, 'font-size': 10.5, fill: 'var(--faint)', 'font-family': 'IBM Plex Mono', ...more };
  return svg.appendChild(el('text', shown, text));
}

/**
 * Something that is dragged: a ring with a name, on its own or with the keyboard.
 * @param {Element} svg
 * @param {{ x: number, y: number, name: string, title: string }} spot
 * @param {(e: PointerEvent) => void} grab
 */
export function handle(svg, { x, y, name, title }, grab) {
  const ring = el(
    'circle',
    {
      cx: x,
      cy: y,
      r: 6,
      fill: 'var(--amber-fill)',
      stroke: 'var(--ink)',
      'stroke-width': 1.4,
      style: 'cursor:move;touch-action:none',
      'data-handle': name,
    },
    el('title', {}, title),
  );
  ring.addEventListener('pointerdown', grab);
  svg.append(ring);
}
