/* The film as a strip. */
import { clamp, el, pointerDrag, refs } from '../kit/dom.js';

/** @type {import('../types.js').Part} */
export const filmDrawing = {
  filmWide: null,
  filmHead: null,

  filmX(n) {
    return 10 + ((n - 1) / Math.max(1, this.film().frames)) * (this.filmWide - 20);
  },
  drawFilm(svg, W, H) {
    const f = this.film(),
      mono = 'IBM Plex Mono',
      top = 26,
      high = clamp(H - 70, 22, 64); // low, it shows names alone
    this.filmWide = W;
    if (f.fault) {
      svg.append(
        el(
          'foreignObject',
          { x: 8, y: 6, width: W - 16, height: H - 12 },
          Object.assign(document.createElement('p'), {
            className: 'text-sm text-brick m-0',
            textContent: f.fault,
          }),
        ),
      );
      return;
    }
    svg.append(
      el(
        'text',
        { x: 10, y: 15, 'font-size': 11.5, fill: 'var(--ink)', 'font-family': mono },
        `${f.frames} frames, ${(f.frames / f.rate).toFixed(1)} s at ${f.fps} a second, ` +
          `${f.pieces.length} pieces${f.cut ? '' : ' (all shots in order)'}`,
      ),
    );
    f.pieces.forEach((p, i) => {
      const x = this.filmX(p.begins),
        w = this.filmX(p.ends) - x,
        on = p.id === this.selected,
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
      g.addEventListener('pointerdown', (e) => this.dragPiece(e, p, i));
      g.addEventListener('keydown', (e) => {
        if (e.key === 'Enter') {
          e.preventDefault();
          e.stopPropagation();
          this.pickPiece(p);
        }
        if (e.key === 'Delete') {
          e.stopPropagation();
          this.dropPiece(p.id);
        }
        const by = { ArrowLeft: -1, ArrowRight: 1 }[e.key];
        if (by) {
          e.preventDefault();
          e.stopPropagation();
          this.movePiece(p.id, i + by);
        }
      });
      svg.append(g);
      const next = f.pieces[i + 1];
      if (!next) return;
      if (p.join === 'dissolve') {
        const a = this.filmX(next.begins),
          b = this.filmX(p.ends);
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
        const m = this.filmX(p.ends),
          d = (this.filmX(1 + p.over) - this.filmX(1)) / 2;
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
        const x = this.filmX(n),
          d = this.filmX(1 + k) - this.filmX(1);
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
    for (const n of Object.keys(this.filmFrames).map(Number)) {
      const x = this.filmX(n);
      const wide = Math.max(0.8, this.filmX(n + 1) - x + 0.3).toFixed(1);
      d += `M${x.toFixed(1)} ${top + high + 5}h${wide}v4h-${wide}z`;
    }
    svg.append(
      el('path', {
        d,
        fill: 'var(--marsh)',
        'data-ready': Object.keys(this.filmFrames).length,
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
    this.filmHead = svg.appendChild(
      el(
        'g',
        { transform: `translate(${this.filmX(this.filmN)} 0)`, 'pointer-events': 'none' },
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
  },
  dragPiece(e, p, i) {
    if (e.button) return;
    e.stopPropagation();
    e.preventDefault();
    const x0 = e.clientX,
      r = refs.drawing.getBoundingClientRect();
    let moved = false,
      to = i;
    const mark = el('path', { stroke: 'var(--marsh)', 'stroke-width': 3 });
    const move = (m) => {
      if (!moved && Math.abs(m.clientX - x0) < 4) return;
      moved = true;
      const x = m.clientX - r.left,
        middles = this.film().pieces.map((q) => (this.filmX(q.begins) + this.filmX(q.ends)) / 2),
        before = middles.filter((v, k) => k !== i && v < x).length,
        all = this.film().pieces.filter((_, k) => k !== i);
      to = before;
      const at = before < all.length ? this.filmX(all[before].begins) : this.filmX(all.at(-1).ends);
      mark.setAttribute('d', `M${at} 18V${r.height - 40}`);
      refs.drawing.append(mark);
    };
    const up = () => {
      mark.remove();
      if (moved) this.movePiece(p.id, to);
      else {
        this.showFilm(p.begins);
        this.pickPiece(p);
      }
    };
    pointerDrag(move, up);
  },
  tapFilm(e) {
    if (e.target.dataset.filmtime) this.scrubFilm(e);
  },
  scrubFilm(e) {
    const r = refs.drawing.getBoundingClientRect(),
      to = (m) => {
        this.setFilmPlaying(false);
        this.showFilm(1 + ((m.clientX - r.left - 10) / (r.width - 20)) * this.film().frames);
      };
    to(e);
    pointerDrag(to);
  },
};
