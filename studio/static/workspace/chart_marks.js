/* Things, lamps and stands on the chart. */
import { drawMark, drawStand } from '../drawings/marks.js';
import { pointerDrag } from '../kit/dom.js';

/** @type {import('../types.js').Part} */
export const chartMarks = {
  drawMarks(svg, px) {
    for (const m of this.chart.marks) {
      const on = m.id === this.selected;
      drawMark(
        svg,
        {
          m: this.turnedNow(m),
          px,
          on,
          north: this.chart.north,
          at: m.held || this.placedAt(m.of, m),
          named: on || (this.bench === 'land' && px < 0.9),
        },
        { pick: (mark) => this.pickMark(mark), drag: (e, mark) => this.dragMark(e, mark) },
      );
    }
  },
  drawStands(svg, px) {
    for (const st of this.chart.stands)
      drawStand(
        svg,
        { st, px, picked: st.id === this.selected, live: this.bench === 'growth' },
        {
          pick: (stand) => this.select(stand.id),
          press: (e, stand) => {
            if (this.drafting || this.chartMode) return;
            e.stopPropagation();
            this.select(stand.id);
          },
        },
      );
  },
  pickMark(m) {
    if (!['land', 'air'].includes(this.bench) || (this.bench === 'air' && m.of === 'things')) this.putBench('land');
    this.select(m.id);
  },
  dragMark(e, m) {
    if (e.button || this.drafting || this.chartMode) return;
    e.stopPropagation();
    e.preventDefault();
    const from = this.metres(e),
      home = this.placedAt(m.of, m);
    let moved = false;
    const move = (n) => {
      const p = this.metres(n);
      if (!moved && Math.hypot(p[0] - from[0], p[1] - from[1]) < 3 * this.px()) return;
      moved = true;
      m.held = [home[0] + p[0] - from[0], home[1] + p[1] - from[1]];
      this.drawChart();
    };
    const up = () => {
      if (!moved) {
        this.pickMark(m);
        return;
      }
      const [east, north] = m.held;
      m.held = null;
      if (!this.lane(`/${m.of}/${m.id}/east`)) [m.east, m.north] = [east, north];
      this.send({
        command: {
          op: 'move',
          of: m.of,
          id: m.id,
          east,
          north,
          t: +this.t.toFixed(6),
        },
        auto: this.changesKey,
      });
    };
    pointerDrag(move, up);
  },
  // what is keyed and moves on the chart is drawn where it is at the playhead
  placedAt(kind, m) {
    const e = this.lane(`/${kind}/${m.id}/east`),
      n = this.lane(`/${kind}/${m.id}/north`);
    return [e ? this.valueAt(e) : m.east, n ? this.valueAt(n) : m.north];
  },
  drawCopies(id) {
    this.startDraft(`copies ${id}`);
  },
  copiesAlong(id, line) {
    if (line.length < 2) {
      this.say('Copies along a line need at least two points.');
      this.drawChart();
      return;
    }
    this.command({
      op: 'set',
      path: `/things/${id}/copies`,
      value: { laid: 'line', line, count: 200, step: 2 },
    });
  },
  turnedNow(m) {
    const turn = this.lane(`/${m.of}/${m.id}/turn`),
      scale = this.lane(`/${m.of}/${m.id}/scale`);
    if (!turn && !scale) return m;
    return { ...m, turn: turn ? this.valueAt(turn) : m.turn, scale: scale ? this.valueAt(scale) : m.scale };
  },
  drawMoved() {
    if (
      this.chart &&
      this.chart.marks.some((m) => this.lane(`/${m.of}/${m.id}/east`) || this.lane(`/${m.of}/${m.id}/north`))
    )
      this.drawChart();
  },
};
