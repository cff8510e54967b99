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
