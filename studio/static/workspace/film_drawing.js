/* The film as a strip. */
import { drawFilm, filmX } from '../drawings/film.js';
import { el, pointerDrag, refs } from '../kit/dom.js';

/** @type {import('../types.js').Part} */
export const filmDrawing = {
  filmWide: null,
  filmHead: null,

  filmX(n) {
    return filmX(this.film(), this.filmWide, n);
  },
  drawFilmNow(svg, W, H) {
    this.filmWide = W;
    this.filmHead = drawFilm(
      svg,
      { W, H, film: this.film(), selected: this.selected, ready: this.filmFrames, at: this.filmN },
      {
        drag: (e, p, i) => this.dragPiece(e, p, i),
        pick: (p) => this.pickPiece(p),
        drop: (p) => this.dropPiece(p.id),
        turn: (p, to) => this.movePiece(p.id, to),
      },
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
