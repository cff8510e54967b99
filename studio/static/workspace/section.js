/* The section along the way, and the pacing drawn over it. */
import { drawSection, drawSectionHead } from '../drawings/section.js';
import { clamp, pointerDrag, refs } from '../kit/dom.js';
import { thinnedPace } from '../kit/pace.js';

/** @type {import('../types.js').Part} */
export const section = {
  drawn: null,
  paceDrawing: false,

  drawSectionNow(svg, W, H) {
    const { route } = Alpine.raw(this.s);
    this.drawn = Alpine.raw(
      drawSection(
        svg,
        {
          W,
          H,
          route,
          seconds: this.s.shot.seconds,
          range: this.held && this.drawn ? this.drawn.range : null,
          pacing: this.paceDrawing,
          selected: this.selected,
          walks: this.s.shot.way === 'walk',
          wrong: this.wrong(),
        },
        (e, st) => this.dragHeight(e, st),
      ),
    );
    if (this.drawn) this.drawDrawingHead();
  },
  drawDrawingHead() {
    if (this.bench === 'air') {
      this.drawDrawing();
      return;
    }
    if (this.bench === 'cut') return;
    const rows = Alpine.raw(this.s).route.samples,
      svg = refs.drawing,
      drawn = Alpine.raw(this.drawn);
    if (!drawn || !rows.length || !svg || !svg.contains(drawn.head)) return;
    const along = this.t / this.s.shot.seconds;
    drawSectionHead(drawn, {
      x: along * (this.held ? this.held.size[0] : svg.clientWidth),
      r: rows[Math.round(clamp(along, 0, 1) * (rows.length - 1))],
      here: this.wrong().filter((f) => this.t >= f.from_s - 0.03 && this.t <= f.to_s + 0.03),
      wide: svg.clientWidth,
    });
  },
  dragHeight(e, st) {
    if (e.button || this.s.shot.way === 'walk') return;
    e.stopPropagation();
    e.preventDefault();
    const y0 = e.clientY,
      up0 = st.up;
    let moved = false;
    this.setSelected(st.id);
    this.follow(
      (m) => {
        if (!moved && Math.abs(m.clientY - y0) < 3) return;
        if (!moved) this.beginDrag(st);
        moved = true;
        const up = up0 + ((y0 - m.clientY) / this.drawn.perMetre) * (m.shiftKey ? 0.25 : 1);
        st.aim = [st.aim[0], st.aim[1], st.aim[2] + up - st.up];
        st.up = +up.toFixed(3);
        this.setCamera(this.viewFrom(st));
        this.draggedTo();
        this.look();
      },
      () => {
        if (moved) this.dropped({ up: +st.up.toFixed(3) }, st);
        else {
          this.slip();
          this.go(st.t);
        }
      },
    );
  },
  drawPace(e) {
    const r = refs.drawing.getBoundingClientRect(),
      s = this.drawn.scale,
      T = this.s.shot.seconds,
      points = new Map();
    if (e.clientY - r.top < s.h1) {
      this.go(((e.clientX - r.left) / r.width) * T);
      return;
    }
    const put = (m) => {
      const x = clamp(m.clientX - r.left, 0, r.width),
        y = clamp(m.clientY - r.top, s.h1 + 16, s.H - 3),
        v = ((s.H - 3 - y) / (s.H - s.h1 - 20)) * s.top;
      points.set(Math.round((x / r.width) * T * 8) / 8, [x, y, v]);
      const line = [...points.values()].sort((a, b) => a[0] - b[0]);
      this.drawn.stroke.setAttribute('d', 'M' + line.map((p) => `${p[0].toFixed(1)} ${p[1].toFixed(1)}`).join('L'));
    };
    put(e);
    const up = () => {
      if (points.size < 3) {
        this.drawn.stroke.setAttribute('d', '');
        this.say('Draw the pace with one stroke from left to right: high is fast.');
        return;
      }
      const drawn = [...points].map(([t, p]) => [t, p[2] / Math.max(s.mean, 1e-6)]),
        a = Math.min(...points.keys()),
        b = Math.max(...points.keys());
      const old = (this.s.route.pace || []).filter(([t]) => t < a - 0.2 || t > b + 0.2),
        ends = old.length
          ? []
          : [
              [0, a > 0.6 ? 1 : null],
              [T, b < T - 0.6 ? 1 : null],
            ].filter((q) => q[1] !== null);
      this.paceDrawing = false;
      this.command({
        op: 'draw_pace',
        shot: this.s.shot.id,
        points: thinnedPace([...old, ...ends, ...drawn]),
      });
    };
    pointerDrag(put, up);
  },
  tapSection(e) {
    if (this.paceDrawing) {
      this.drawPace(e);
      return;
    }
    const r = refs.drawing.getBoundingClientRect();
    this.go(((e.clientX - r.left) / r.width) * this.s.shot.seconds);
  },
  togglePace() {
    this.paceDrawing = !this.paceDrawing;
    this.drawDrawing();
  },
  evenPace() {
    this.command({ op: 'draw_pace', shot: this.s.shot.id, points: [] });
  },
};
