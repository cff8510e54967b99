/* The chart: its sheet, its view, and what is drawn on it by hand. */
import { drawBuilt, drawDraft, drawGround, drawScale, settleLabels } from '../drawings/sheet.js';
import { clamp, keepingFocus, pointerDrag, refs } from '../kit/dom.js';
import { viewOf } from '../kit/geometry.js';

/** @type {import('../types.js').Part} */
export const chart = {
  drafting: null,
  chartMode: '',
  chart: null,
  chartKey: null,
  view: null,
  overlay: null,
  lastPress: null,
  draftOf: null,

  setDrafting(value) {
    this.drafting = value;
    return value;
  },
  setChartMode(value) {
    this.chartMode = value;
    return value;
  },
  setView(value) {
    this.view = value;
    return value;
  },
  async loadChart() {
    const reply = await fetch(this.url('chart/'));
    if (!reply.ok) return;
    this.chart = await reply.json();
    this.chartKey = this.s.chart;
    if (!this.view) this.frameChart();
    this.drawChart();
  },
  frameChart() {
    if (!this.chart) return; // it is framed when it comes
    this.view = viewOf(
      this.chart.bounds,
      this.s.route.samples.map((r) => [r[1], r[2]]),
    );
  },
  viewBox() {
    const svg = refs.chart,
      k = svg.clientHeight / Math.max(1, svg.clientWidth),
      v = this.view;
    return [v.x - v.wide / 2, -v.y - (v.wide * k) / 2, v.wide, v.wide * k];
  },
  metres(e) {
    const svg = refs.chart,
      r = svg.getBoundingClientRect(),
      b = this.viewBox();
    return [b[0] + ((e.clientX - r.left) / r.width) * b[2], -(b[1] + ((e.clientY - r.top) / r.height) * b[3])];
  },
  px() {
    return !this.view || !refs.chart ? 1 : this.view.wide / Math.max(1, refs.chart.clientWidth);
  },
  drawChart() {
    keepingFocus(refs.chart, () => this.drawChartAnew());
  },
  drawChartAnew() {
    const svg = refs.chart,
      c = this.chart;
    if (!svg || !c || !svg.clientWidth) return;
    const px = this.px(),
      box = this.viewBox();
    svg.setAttribute('viewBox', box.join(' '));
    svg.replaceChildren();
    drawGround(svg, { chart: c, px });
    this.drawWaters(svg, px);
    if (this.bench === 'air') this.drawBanks(svg, px);
    this.drawStands(svg, px);
    this.drawGroundWays(svg, px);
    this.drawFronts(svg, px);
    drawBuilt(svg, { chart: c, px, named: this.bench === 'land' && px < 0.9 });
    this.drawMarks(svg, px);
    // the way lies on a sheet of its own, so that dragging a station draws no contour anew
    this.overlay = refs.over;
    this.overlay.setAttribute('viewBox', box.join(' '));
    this.drawRoute();
    if (this.drafting) drawDraft(this.overlay, { draft: this.drafting, px });
    drawScale(svg, { box, px, north: c.north, interval: c.interval });
  },
  // drawn at every step of a drag: by the plain data, not the watched one
  settleNames(px) {
    const spots = [
      ...Alpine.raw(this.s).route.stations.map((st) => [st.east, -st.north]),
      ...Alpine.raw(this.chart).marks.map((m) => {
        const [e, n] = m.held || this.placedAt(m.of, m);
        return [e, -n];
      }),
      ...this.views.map((v) => [v.east, -v.north]),
    ];
    const named = (sheet) => [...sheet.querySelectorAll('[data-label]')];
    settleLabels([...named(this.overlay), ...named(refs.chart)], { spots, px });
  },
  panChart(e) {
    if (e.button || !this.view) return;
    if (this.chartMode === 'stand') {
      this.standOnChart(e);
      return;
    }
    if (this.chartMode === 'spring') {
      this.springAt(this.metres(e));
      return;
    }
    if (this.chartMode === 'brush') {
      this.brushStand(e);
      return;
    }
    if (this.chartMode === 'plant') {
      this.setPlantAt(this.metres(e));
      return;
    }
    if (this.drafting) {
      // redrawing under the pointer swallows the browser's own double click, so it is told by time and place
      const now = performance.now(),
        twice =
          this.lastPress &&
          now - this.lastPress.at < 450 &&
          Math.hypot(e.clientX - this.lastPress.x, e.clientY - this.lastPress.y) < 6;
      this.lastPress = { at: now, x: e.clientX, y: e.clientY };
      if (twice) {
        this.endDraft();
        return;
      }
      this.drafting.push(this.metres(e).map((v) => +v.toFixed(1)));
      this.drawChart();
      return;
    }
    const x0 = e.clientX,
      y0 = e.clientY,
      v0 = { ...this.view },
      px = this.px();
    const move = (m) => {
      this.view.x = v0.x - (m.clientX - x0) * px;
      this.view.y = v0.y + (m.clientY - y0) * px;
      for (const sheet of [refs.chart, refs.over]) sheet.setAttribute('viewBox', this.viewBox().join(' '));
    };
    const up = () => {
      this.drawChart();
    };
    pointerDrag(move, up);
  },
  zoomChart(e) {
    e.preventDefault();
    const p = this.metres(e),
      k = e.deltaY > 0 ? 1.2 : 1 / 1.2;
    this.view.wide = clamp(this.view.wide * k, 5, 4e5);
    const q = this.metres(e);
    this.view.x += p[0] - q[0];
    this.view.y += p[1] - q[1];
    this.drawChart();
  },
  drawing_stand() {
    this.startDraft('stand');
  },
  startDraft(what) {
    this.drafting = [];
    this.draftOf = what;
    this.chartMode = '';
    this.say('');
    this.drawChart();
  },
  endDraft() {
    if (!this.drafting) return;
    const area = this.drafting.filter(
      (p, i, all) => !i || Math.hypot(p[0] - all[i - 1][0], p[1] - all[i - 1][1]) > 1e-6,
    );
    this.drafting = null;
    if (this.draftOf === 'way') {
      this.drawnWay(area);
      return;
    }
    if (this.draftOf === 'ground way') {
      this.wayDrawn(area);
      return;
    }
    if (this.draftOf === 'bank') {
      this.bankDrawn(area);
      return;
    }
    if (this.draftOf.startsWith('water ')) {
      this.waterDrawn(this.draftOf.slice(6), area);
      return;
    }
    if (this.draftOf.startsWith('copies ')) {
      this.copiesAlong(this.draftOf.slice(7), area);
      return;
    }
    if (area.length < 3) {
      this.say('A stand needs at least three corners.');
      this.drawChart();
      return;
    }
    const ids = this.chart.stands.map((q) => q.id);
    let k = 1;
    while (ids.includes(`stand${k}`)) k++;
    this.command({
      op: 'add',
      to: 'growth',
      item: {
        id: `stand${k}`,
        name: `Stand ${k}`,
        kind: 'alder',
        area,
        per_hectare: 150,
        height: 8,
        seed: k + 20,
      },
    }).then((ok) => {
      if (ok) this.select(`stand${k}`);
    });
  },
};
