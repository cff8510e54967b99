/* The film as a strip: its pieces, how they join, and which frames are there. */
import { clamp, el } from '../kit/dom.js';
import { caption, fault } from '../kit/notes.js';

/**
 * Where a frame of the film begins on a strip this wide.
 * @param {{ frames: number }} film
 * @param {number} wide
 * @param {number} n
 */
export const filmX = (film, wide, n) => 10 + ((n - 1) / Math.max(1, film.frames)) * (wide - 20);

/**
 * @param {Element} svg
 * @param {{ W: number, H: number, film: any, selected: string, ready: Record<number, unknown>, at: number }} data
 *   the film with its pieces, the picked piece, frames that are there, the frame at the head
 * @param {{ drag: Function, pick: Function, drop: Function, turn: Function }} acts what is done to a piece
 * @returns {Element | null} the head; none where the film cannot be joined
 */
export function drawFilm(svg, { W, H, film: f, selected, ready, at }, acts) {
  const mono = 'IBM Plex Mono',
    top = 26,
    high = clamp(H - 70, 22, 64); // low, it shows names alone
  const X = (n) => filmX(f, W, n);
  if (f.fault) {
    fault(svg, W, H, f.fault);
    return null;
  }
  caption(
    svg,
    10,
    15,
    `${f.frames} frames, ${(f.frames / f.rate).toFixed(1)} s at ${f.fps} a second, ` +
      `${f.pieces.length} pieces${f.cut ? '' : ' (all shots in order)'}`,
  );
  f.pieces.forEach((p, i) => {
    const x = X(p.begins),
      w = X(p.ends) - x,
      on = p.id === selected,
      g = el('g', {
        tabindex: 0,
        role: 'button',
        'aria-label': `Piece ${i + 1}: ${p.name}`,
        style: 'cursor:grab',
        'data-piece': p.id,
      });
    g.append(
      el('rect', {
        x: x + 0.5,
        y: top,
        width: Math.max(2, w - 1),
        height: high,
        rx: 2,
        fill: on ? 'var(--amber-fill)' : i % 2 ? 'var(--seat)' : 'var(--water)',
        'fill-opacity': on ? 0.5 : 0.75,
        stroke: 'var(--ink)',
        'stroke-width': on ? 2 : 1,
      }),
    );
    const room = Math.floor(w / 6.4);
    if (room > 3)
      g.append(
        el(
          'text',
          { x: x + 6, y: top + 16, 'font-size': 12, fill: 'var(--ink)' },
          p.name.length > room ? `${p.name.slice(0, room - 1)}…` : p.name,
        ),
      );
    if (w > 60 && high > 36)
      g.append(
        el(
          'text',
          { x: x + 6, y: top + 32, 'font-size': 10.5, fill: 'var(--ink)', 'font-family': mono },
          `${p.first}–${p.last}`,
        ),
      );
    g.addEventListener('pointerdown', (e) => acts.drag(e, p, i));
    g.addEventListener('keydown', (e) => {
      if (e.key === 'Enter') {
        e.preventDefault();
        e.stopPropagation();
        acts.pick(p);
      }
      if (e.key === 'Delete') {
        e.stopPropagation();
        acts.drop(p);
      }
      const by = { ArrowLeft: -1, ArrowRight: 1 }[e.key];
      if (by) {
        e.preventDefault();
        e.stopPropagation();
        acts.turn(p, i + by);
      }
    });
    svg.append(g);
    const next = f.pieces[i + 1];
    if (!next) return;
    if (p.join === 'dissolve') {
      const a = X(next.begins),
        b = X(p.ends);
      svg.append(
        el('path', {
          d: `M${a} ${top}H${b}V${top + high}H${a}Z`,
          fill: 'var(--amber-fill)',
          'fill-opacity': 0.35,
          'pointer-events': 'none',
        }),
        el('path', {
          d: `M${a} ${top + high}L${b} ${top}M${a} ${top}L${b} ${top + high}`,
          stroke: 'var(--amber)',
          'stroke-width': 1.3,
          'pointer-events': 'none',
        }),
      );
    }
    if (p.join === 'fade') {
      const m = X(p.ends),
        d = (X(1 + p.over) - X(1)) / 2;
      svg.append(
        el('path', {
          d: `M${m - d} ${top}L${m} ${top + high}L${m + d} ${top}Z`,
          fill: 'var(--ink)',
          'fill-opacity': 0.6,
          'pointer-events': 'none',
        }),
      );
    }
  });
  for (const [k, n] of [
    [f.fade_in, 1],
    [f.fade_out, f.frames + 1],
  ])
    if (k) {
      const x = X(n),
        d = X(1 + k) - X(1);
      svg.append(
        el('path', {
          d: `M${x} ${top}V${top + high}L${n === 1 ? x + d : x - d} ${top}Z`,
          fill: 'var(--ink)',
          'fill-opacity': 0.6,
          'pointer-events': 'none',
        }),
      );
    }
  let d = '';
  for (const n of Object.keys(ready).map(Number)) {
    const x = X(n);
    const wide = Math.max(0.8, X(n + 1) - x + 0.3).toFixed(1);
    d += `M${x.toFixed(1)} ${top + high + 5}h${wide}v4h-${wide}z`;
  }
  svg.append(
    el('path', {
      d,
      fill: 'var(--marsh)',
      'data-ready': Object.keys(ready).length,
      id: 'film-ready',
    }),
  );
  svg.append(
    el('rect', {
      x: 0,
      y: top + high + 2,
      width: W,
      height: H - top - high - 2,
      fill: 'transparent',
      style: 'cursor:ew-resize',
      'data-filmtime': 1,
    }),
  );
  const head = svg.appendChild(
    el(
      'g',
      { transform: `translate(${X(at)} 0)`, 'pointer-events': 'none' },
      el('line', { y1: top - 6, y2: top + high + 14, stroke: 'var(--amber)', 'stroke-width': 1.7 }),
      el('path', { d: `M-5 ${top - 10}h10l-5 7z`, fill: 'var(--amber)' }),
    ),
  );
  if (H > top + high + 30)
    svg.append(
      el(
        'text',
        { x: 10, y: top + high + 26, 'font-size': 11, fill: 'var(--faint)' },
        'drag a piece to another turn; press below the strip to move through the film',
      ),
    );
  return head;
}
