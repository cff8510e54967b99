/* Things, lamps and stands on the chart. */
import { el, pointerDrag } from '../kit/dom.js';
import { inside } from '../kit/geometry.js';

/** @type {import('../types.js').Part} */
export const chartMarks = {
  // models are small squares with a corner cut, lamps circles with short strokes about them
  drawMark(svg, m, px) {
    const on = m.id === this.selected,
      r = 5 * px,
      [east, north] = m.held || this.placedAt(m.of, m),
      x = east,
      y = -north,
      g = el('g', {
        tabindex: 0,
        role: 'button',
        'aria-label': `${m.of === 'lamps' ? 'Lamp' : 'Model'} ${m.name}`,
        style: 'cursor:grab',
        'data-mark': m.id,
      });
    if (m.of === 'lamps') {
      let d = '';
      for (let k = 0; k < 6; k++) {
        const a = (k * Math.PI) / 3;
        const [c, s] = [Math.cos(a) * r, Math.sin(a) * r];
        d += `M${x + c * 1.35} ${y + s * 1.35}L${x + c * 2} ${y + s * 2}`;
      }
      g.append(
        el('path', { d, stroke: 'var(--amber)', 'stroke-width': 1.4 * px }),
        el('circle', {
          cx: x,
          cy: y,
          r,
          fill: on ? 'var(--amber-fill)' : 'var(--sheet)',
          stroke: 'var(--amber)',
          'stroke-width': 1.8 * px,
        }),
      );
    } else
      g.append(
        el('path', {
          d: `M${x - r} ${y - r}H${x + r * 0.3}L${x + r} ${y - r * 0.3}V${y + r}H${x - r}Z`,
          fill: on ? 'var(--amber-fill)' : 'var(--sheet)',
          stroke: 'var(--ink)',
          'stroke-width': 1.6 * px,
        }),
      );
    if (on || (this.bench === 'land' && px < 0.9))
      g.append(
        el(
          'text',
          {
            'data-label': `${x},${y}`,
            'font-size': 10 * px,
            fill: 'var(--faint)',
            stroke: 'var(--land)',
            'stroke-width': 2.5 * px,
            'paint-order': 'stroke',
          },
          m.name,
        ),
      );
    const pick = () => {
      if (!['land', 'air'].includes(this.bench) || (this.bench === 'air' && m.of === 'things')) this.putBench('land');
      this.select(m.id);
    };
    g.addEventListener('keydown', (e) => {
      if (e.key === 'Enter') {
        e.preventDefault();
        e.stopPropagation();
        pick();
      }
    });
    g.addEventListener('pointerdown', (e) => {
      if (e.button || this.drafting) return;
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
          pick();
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
    });
    svg.append(g);
  },
  drawStand(svg, st, px) {
    const picked = st.id === this.selected,
      g = el('g', {
        tabindex: this.bench === 'growth' ? 0 : null,
        role: 'button',
        'aria-label': `Stand ${st.name}`,
        style: this.bench === 'growth' ? 'cursor:pointer' : null,
        'data-stand': st.id,
      });
    if (st.area.length > 2 && (this.bench === 'growth' || picked))
      g.append(
        el('polygon', {
          points: st.area.map((p) => `${p[0]},${-p[1]}`).join(' '),
          fill: picked ? 'var(--marsh)' : 'transparent',
          'fill-opacity': 0.12,
          stroke: 'var(--marsh)',
          'stroke-width': (picked ? 2 : 1) * px,
          'stroke-dasharray': `${5 * px} ${3 * px}`,
        }),
      );
    for (const d of st.dots)
      g.append(
        el('circle', {
          cx: d[0],
          cy: -d[1],
          r: Math.max(d[2], 1.6 * px),
          fill: st.kind === 'pine' ? 'var(--marsh)' : 'var(--amber-fill)',
          'fill-opacity': 0.28,
          stroke: 'var(--marsh)',
          'stroke-width': 0.6 * px,
        }),
      );
    if (st.kind === 'reed' && st.area.length > 2) {
      const xs = st.area.map((p) => p[0]),
        ys = st.area.map((p) => p[1]),
        step = 16 * px;
      let d = '',
        count = 0;
      for (let x = Math.min(...xs); x < Math.max(...xs) && count < 500; x += step)
        for (let y = Math.min(...ys); y < Math.max(...ys) && count < 500; y += step) {
          const qx = x + (((y / step) % 2) * step) / 2;
          if (inside(st.area, qx, y)) {
            count++;
            d += `M${qx} ${-y}v${-5 * px}M${qx - 2.4 * px} ${-y}l${-1.6 * px} ${-3.5 * px}`;
            d += `M${qx + 2.4 * px} ${-y}l${1.6 * px} ${-3.5 * px}`;
          }
        }
      g.append(
        el('path', {
          d,
          stroke: 'var(--marsh)',
          'stroke-opacity': 0.55,
          'stroke-width': 0.8 * px,
          fill: 'none',
        }),
      );
    }
    if (this.bench === 'growth') {
      const pick = () => this.select(st.id);
      g.addEventListener('click', (e) => {
        if (!this.drafting) {
          e.stopPropagation();
          pick();
        }
      });
      g.addEventListener('keydown', (e) => {
        if (e.key === 'Enter') {
          e.stopPropagation();
          pick();
        }
      });
    }
    svg.append(g);
  },
  // what is keyed and moves on the chart is drawn where it is at the playhead
  placedAt(kind, m) {
    const e = this.lane(`/${kind}/${m.id}/east`),
      n = this.lane(`/${kind}/${m.id}/north`);
    return [e ? this.valueAt(e) : m.east, n ? this.valueAt(n) : m.north];
  },
  drawMoved() {
    if (
      this.chart &&
      this.chart.marks.some((m) => this.lane(`/${m.of}/${m.id}/east`) || this.lane(`/${m.of}/${m.id}/north`))
    )
      this.drawChart();
  },
};
