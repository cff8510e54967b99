/* The chart: its sheet, its view, and what is drawn on it by hand. */
import { viewOf, roundLength, clearPlace } from '../kit/geometry.js';
import { el, clamp, refs, keepingFocus, pointerDrag } from '../kit/dom.js';

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
    const px = this.px();
    svg.setAttribute('viewBox', this.viewBox().join(' '));
    const [w, s, e, n] = c.bounds;
    svg.replaceChildren();
    svg.append(
      el('rect', {
        x: w,
        y: -n,
        width: e - w,
        height: n - s,
        fill: 'var(--land)',
      }),
    );
    if (c.water)
      svg.append(
        el('path', {
          d: c.water,
          fill: 'var(--water)',
          'fill-rule': 'evenodd',
          stroke: 'var(--tide)',
          'stroke-width': 1.4 * px,
        }),
      );
    for (const l of c.lines)
      svg.append(
        el('path', {
          d: l.d,
          fill: 'none',
          stroke: l.index ? 'var(--contour-index)' : 'var(--contour)',
          'stroke-width': (l.index ? 1.1 : 0.7) * px,
        }),
      );
    for (const st of c.stands) this.drawStand(svg, st, px);
    for (const b of c.built) {
      if (b.line.length > 1) {
        const d = 'M' + b.line.map((p) => `${p[0]} ${-p[1]}`).join('L');
        svg.append(
          el('path', {
            d,
            fill: 'none',
            stroke: 'var(--ink)',
            'stroke-width': Math.max(b.width, 4 * px),
          }),
          el('path', {
            d,
            fill: 'none',
            stroke: 'var(--sheet)',
            'stroke-width': Math.max(b.width - 2 * px, 2 * px),
            'stroke-dasharray': `${1.5 * px} ${1.5 * px}`,
          }),
        );
      } else
        svg.append(
          el('rect', {
            x: b.line[0][0] - b.width / 2,
            y: -b.line[0][1] - b.width / 2,
            width: b.width,
            height: b.width * 0.8,
            fill: 'var(--sheet)',
            stroke: 'var(--ink)',
            'stroke-width': px,
            transform: `rotate(${b.turn} ${b.line[0][0]} ${-b.line[0][1]})`,
          }),
        );
      const at = b.line[Math.floor(b.line.length / 2)];
      if (this.bench === 'land' && px < 0.9)
        svg.append(
          el(
            'text',
            {
              'font-size': 10 * px,
              fill: 'var(--faint)',
              stroke: 'var(--land)',
              'stroke-width': 2.5 * px,
              'paint-order': 'stroke',
              'data-label': `${at[0]},${-at[1]}`,
            },
            b.name,
          ),
        );
    }
    for (const m of c.marks) this.drawMark(svg, m, px);
    // the way lies on a sheet of its own, so that dragging a station draws no contour anew
    this.overlay = refs.over;
    this.overlay.setAttribute('viewBox', this.viewBox().join(' '));
    this.drawRoute();
    if (this.drafting) this.drawDraft();
    this.drawScale(svg, px);
  },
  // names stand where they hide neither another name nor a mark: beside their spot, else over or under
  // it, else not at all
  settleLabels(px) {
    // drawn at every step of a drag: by the plain data, not the watched one
    const taken = [
      ...Alpine.raw(this.s).route.stations.map((st) => [st.east, -st.north]),
      ...Alpine.raw(this.chart).marks.map((m) => {
        const [e, n] = m.held || this.placedAt(m.of, m);
        return [e, -n];
      }),
      ...this.views.map((v) => [v.east, -v.north]),
    ].map(([x, y]) => [x - 6 * px, y - 6 * px, x + 6 * px, y + 6 * px]);
    for (const text of [
      ...this.overlay.querySelectorAll('[data-label]'),
      ...refs.chart.querySelectorAll('[data-label]'),
    ]) {
      const [x, y] = text.dataset.label.split(',').map(Number),
        high = Number(text.getAttribute('font-size')),
        wide = text.textContent.length * high * 0.55,
        r = 8 * px;
      const over = [
          [-wide / 2, -r * 1.2],
          [-wide / 2, r * 2.2],
        ],
        beside = [
          [r, -r * 0.6],
          [r, r * 1.3],
          [-r - wide, -r * 0.6],
          [-r - wide, r * 1.3],
        ];
      const places = (text.dataset.over ? [...over, ...beside] : [...beside, ...over]).map(([dx, dy]) => [
        x + dx,
        y + dy - high * 0.8,
        x + dx + wide,
        y + dy + high * 0.2,
      ]);
      const found = clearPlace(places, taken);
      text.setAttribute('visibility', found ? 'visible' : 'hidden');
      if (found) {
        text.setAttribute('x', found[0]);
        text.setAttribute('y', found[3] - high * 0.2);
        taken.push(found);
      }
    }
  },
  panChart(e) {
    if (e.button || !this.view) return;
    if (this.chartMode === 'stand') {
      this.standOnChart(e);
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
  drawDraft() {
    const px = this.px();
    this.overlay.append(
      el('polyline', {
        points: this.drafting.map((p) => `${p[0]},${-p[1]}`).join(' '),
        fill: 'var(--marsh)',
        'fill-opacity': 0.15,
        stroke: 'var(--marsh)',
        'stroke-width': 2 * px,
      }),
    );
    for (const p of this.drafting)
      this.overlay.append(
        el('circle', {
          cx: p[0],
          cy: -p[1],
          r: 3 * px,
          fill: 'var(--marsh)',
        }),
      );
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
  drawWedge() {
    if (!this.wedge || !this.view) return;
    const c = this.camera(),
      px = this.held ? this.held.px : this.px(),
      b = (c.bearing * Math.PI) / 180,
      h = Math.atan(18 / c.focal),
      r = 62 * px;
    const pt = (a) => `${c.x + Math.sin(a) * r} ${-(c.y + Math.cos(a) * r)}`;
    this.wedge.replaceChildren(
      el('path', {
        d: `M${c.x} ${-c.y}L${pt(b - h)}A${r} ${r} 0 0 1 ${pt(b + h)}Z`,
        fill: 'var(--amber-fill)',
        'fill-opacity': 0.25,
        stroke: 'var(--amber)',
        'stroke-width': px,
        'data-wedge': 1,
      }),
      el('circle', { cx: c.x, cy: -c.y, r: 3.5 * px, fill: 'var(--amber)' }),
    );
  },
  drawScale(svg, px) {
    const b = this.viewBox(),
      want = 90 * px,
      len = roundLength(want),
      x = b[0] + 12 * px,
      y = b[1] + b[3] - 12 * px;
    svg.append(
      el('path', {
        d: `M${x} ${y - 3 * px}V${y + 3 * px}M${x} ${y}H${x + len}M${x + len} ${y - 3 * px}V${y + 3 * px}`,
        stroke: 'var(--ink)',
        'stroke-width': 1.2 * px,
        fill: 'none',
      }),
      el(
        'text',
        {
          x: x + len + 5 * px,
          y: y + 3.5 * px,
          'font-size': 10.5 * px,
          fill: 'var(--ink)',
          'font-family': 'IBM Plex Mono',
        },
        len >= 1000 ? `${len / 1000} km` : `${len} m`,
      ),
    );
    const nx = b[0] + b[2] - 20 * px,
      ny = b[1] + 34 * px,
      turn = this.chart.north;
    svg.append(
      el(
        'g',
        { transform: `rotate(${turn} ${nx} ${ny - 12 * px})` },
        el('path', {
          d:
            `M${nx} ${ny}V${ny - 24 * px}M${nx - 4 * px} ${ny - 17 * px}` +
            `L${nx} ${ny - 25 * px}L${nx + 4 * px} ${ny - 17 * px}`,
          stroke: 'var(--ink)',
          'stroke-width': 1.4 * px,
          fill: 'none',
        }),
        el(
          'text',
          {
            x: nx,
            y: ny + 12 * px,
            'font-size': 11 * px,
            'text-anchor': 'middle',
            fill: 'var(--ink)',
          },
          'N',
        ),
      ),
    );
    svg.append(
      el(
        'text',
        {
          x: b[0] + b[2] - 8 * px,
          y: y + 3.5 * px,
          'font-size': 10 * px,
          'text-anchor': 'end',
          fill: 'var(--faint)',
          stroke: 'var(--land)',
          'stroke-width': 3 * px,
          'paint-order': 'stroke',
        },
        `contours every ${this.chart.interval} m`,
      ),
    );
  },
};
