/* The route on the chart, and stations dragged. */
import { clamp, el, keepingFocus, pointerDrag, refs } from '../kit/dom.js';

/** @type {import('../types.js').Part} */
export const routeDrawing = {
  wedge: null,
  viewAt: null,
  held: null,

  routeLine(rows) {
    const cuts = Alpine.raw(this.s).route.changes || [];
    let d = '';
    rows.forEach((p, i) => {
      const cut = i && cuts.some((c) => c > rows[i - 1][0] && c <= p[0] + 1e-9);
      d += `${i && !cut ? 'L' : 'M'}${p[1]} ${-p[2]}`;
    });
    return d;
  },
  drawRoute() {
    keepingFocus(this.overlay, () => this.drawRouteAnew());
  },
  drawRouteAnew() {
    const g = this.overlay,
      px = this.held ? this.held.px : this.px(),
      r = Alpine.raw(this.s).route;
    if (!g) return;
    g.replaceChildren();
    if (r.samples.length) {
      const d = this.routeLine(r.samples);
      g.append(
        el('path', {
          d,
          fill: 'none',
          stroke: 'var(--sheet)',
          'stroke-width': 4.5 * px,
        }),
        el('path', {
          d,
          fill: 'none',
          stroke: 'var(--ink)',
          'stroke-width': 2 * px,
          'data-route': 1,
        }),
      );
      for (const f of this.wrong()) {
        const part = r.samples.filter((p) => p[0] >= f.from_s - 0.05 && p[0] <= f.to_s + 0.05);
        if (part.length > 1)
          g.append(
            el('path', {
              d: this.routeLine(part),
              fill: 'none',
              stroke: 'var(--brick)',
              'stroke-width': 3.5 * px,
              'stroke-dasharray': `${4 * px} ${2 * px}`,
              'data-fault': f.kind,
            }),
          );
      }
    }
    this.wedge = g.appendChild(el('g', { 'pointer-events': 'none' }));
    for (const v of this.bench === 'route' ? this.views : []) {
      const a = this.aimPoint(v, px),
        mark = el('g', {
          tabindex: 0,
          role: 'button',
          'aria-label': `Suggested view: ${v.name}`,
          style: 'cursor:pointer;pointer-events:auto',
          'data-view': v.id,
        });
      mark.append(
        el('path', {
          d: `M${v.east} ${-v.north}L${a[0]} ${-a[1]}`,
          stroke: 'var(--tide)',
          'stroke-width': 1.4 * px,
          'stroke-dasharray': `${3 * px} ${2 * px}`,
        }),
        el('circle', {
          cx: v.east,
          cy: -v.north,
          r: 6 * px,
          fill: this.viewShown === v.id ? 'var(--water)' : 'var(--sheet)',
          stroke: 'var(--tide)',
          'stroke-width': 1.8 * px,
          'stroke-dasharray': `${2.5 * px} ${1.5 * px}`,
        }),
        el(
          'text',
          {
            'data-label': `${v.east},${-v.north}`,
            'font-size': 10.5 * px,
            fill: 'var(--ink)',
            stroke: 'var(--land)',
            'stroke-width': 3 * px,
            'paint-order': 'stroke',
          },
          v.name,
        ),
      );
      // drawing anew under the pointer swallows the browser's own double click, so it is told by time
      mark.addEventListener('pointerdown', (e) => {
        e.stopPropagation();
        e.preventDefault();
        const now = performance.now(),
          twice = this.viewShown === v.id && now - (this.viewAt || 0) < 450;
        this.viewAt = now;
        twice ? this.keepView(v) : this.lookAtView(v);
      });
      mark.addEventListener('keydown', (e) => {
        if (e.key === 'Enter') {
          e.preventDefault();
          e.stopPropagation();
          this.viewShown === v.id ? this.keepView(v) : this.lookAtView(v);
        }
      });
      g.append(mark);
    }
    r.stations.forEach((st, i) => {
      const on = st.id === this.selected,
        mark = el('g', {
          tabindex: 0,
          role: 'button',
          'aria-label': `Station ${i + 1}${st.name ? ' ' + st.name : ''}`,
          style: 'cursor:grab;pointer-events:auto',
          'data-station': st.id,
        });
      if (on) {
        const a = this.aimPoint(st, px);
        mark.append(
          el('line', {
            x1: st.east,
            y1: -st.north,
            x2: a[0],
            y2: -a[1],
            stroke: 'var(--amber)',
            'stroke-width': 1.2 * px,
            'stroke-dasharray': `${3 * px} ${2 * px}`,
          }),
        );
        const knob = el('circle', {
          cx: a[0],
          cy: -a[1],
          r: 5 * px,
          fill: 'var(--sheet)',
          stroke: 'var(--amber)',
          'stroke-width': 2 * px,
          style: 'cursor:crosshair',
          'data-aim': st.id,
        });
        knob.addEventListener('pointerdown', (e) => this.dragAim(e, st));
        mark.append(knob);
      }
      mark.append(
        el('rect', {
          x: st.east - 5.5 * px,
          y: -st.north - 5.5 * px,
          width: 11 * px,
          height: 11 * px,
          fill: on ? 'var(--amber-fill)' : 'var(--sheet)',
          stroke: 'var(--ink)',
          'stroke-width': 1.6 * px,
          opacity: st.t === null ? 0.4 : null,
        }),
      );
      if (st.join === 'cut')
        mark.append(
          el('path', {
            d: `M${st.east + 7 * px} ${-st.north - 5.5 * px}v${11 * px}`,
            stroke: 'var(--brick)',
            'stroke-width': 2 * px,
          }),
        );
      mark.append(
        el(
          'text',
          {
            'data-label': `${st.east},${-st.north}`,
            'data-over': 1,
            'font-size': 11 * px,
            fill: 'var(--ink)',
            'font-family': 'IBM Plex Mono',
            stroke: 'var(--land)',
            'stroke-width': 3 * px,
            'paint-order': 'stroke',
          },
          i + 1,
        ),
      );
      mark.addEventListener('pointerdown', (e) => this.dragStation(e, st));
      mark.addEventListener('keydown', (e) => this.keyStation(e, st));
      g.append(mark);
    });
    this.settleLabels(px);
    this.drawWedge();
  },
  // A drag shows at once what moving one station does nearby, and puts the true way in its place whenever
  // the server has answered.
  // It goes by the plain data under the page's watched copy, and by sizes taken once, so that a drag is
  // drawn at the screen's pace.
  beginDrag(st) {
    const d = refs.drawing;
    this.held = Alpine.raw({
      st,
      at: [st.east, st.north, st.up],
      rows: Alpine.raw(this.s).route.samples,
      asking: false,
      owed: false,
      px: this.px(),
      size: [d.clientWidth, d.clientHeight],
    });
  },
  draggedTo() {
    const h = Alpine.raw(this.held),
      st = Alpine.raw(h.st),
      route = Alpine.raw(this.s).route,
      all = route.stations,
      i = all.findIndex((q) => q.id === st.id),
      before = i > 0 ? all[i - 1].t : -1,
      after = i < all.length - 1 ? all[i + 1].t : this.s.shot.seconds + 1;
    const d = [st.east - h.at[0], st.north - h.at[1], st.up - h.at[2]],
      soft = (x) => {
        const s = clamp(x, 0, 1);
        return s * s * (3 - 2 * s);
      };
    route.samples = h.rows.map((r) => {
      const t = r[0],
        w =
          t <= st.t
            ? soft((t - before) / Math.max(st.t - before, 1e-6))
            : soft((after - t) / Math.max(after - st.t, 1e-6)),
        q = [...r];
      q[1] += d[0] * w;
      q[2] += d[1] * w;
      q[3] += d[2] * w;
      return q;
    });
    this.drawRoute();
    this.drawDrawing();
    refs.chart.dataset.drawn = Number(refs.chart.dataset.drawn || 0) + 1;
    this.askDraft();
  },
  async askDraft() {
    const h = this.held && Alpine.raw(this.held);
    if (!h) return;
    if (h.asking) {
      h.owed = true;
      return;
    }
    h.asking = true;
    h.owed = false;
    const st = h.st,
      at = [st.east, st.north, st.up];
    const reply = await this.postChange('draft/', {
      station: st.id,
      east: at[0],
      north: at[1],
      up: at[2],
      aim: st.aim,
    }).catch(() => null);
    h.asking = false;
    if (!reply || !reply.ok || !this.held || Alpine.raw(this.held) !== h) return;
    const data = await reply.json();
    if (!data.samples.length) return;
    const route = Alpine.raw(this.s).route;
    h.rows = route.samples = data.samples;
    h.at = at;
    this.s.route.summary = data.summary;
    data.stations.forEach((q, i) => {
      const mine = route.stations[i];
      if (mine) mine.t = q.t;
    });
    refs.chart.dataset.drafts = Number(refs.chart.dataset.drafts || 0) + 1;
    this.drawRoute();
    this.drawDrawing();
    if (h.owed) setTimeout(() => this.askDraft(), 90);
  },
  dropped(change, st) {
    this.held = null;
    return this.command({
      op: 'move_station',
      shot: this.s.shot.id,
      station: st.id,
      east: +st.east.toFixed(3),
      north: +st.north.toFixed(3),
      ...change,
    }).then(() => {
      this.setCamera(null);
      const now = this.station(st.id);
      this.go(now && now.t !== null ? now.t : this.t);
    });
  },
  follow(move, up) {
    // drawn once a frame at most
    let next = null,
      drawn = 0;
    const draw = (now) => {
      if (!next) return;
      if (now - drawn < 15) {
        requestAnimationFrame(draw);
        return;
      }
      const last = next;
      next = null;
      drawn = now;
      move(last);
    };
    const onMove = (m) => {
      const first = !next;
      next = m;
      if (first) requestAnimationFrame(draw);
    };
    pointerDrag(onMove, () => {
      const last = next;
      next = null;
      if (last) move(last);
      up();
    });
  },
  dragStation(e, st) {
    if (e.target.dataset.aim || e.button || this.chartMode || this.drafting) return;
    e.stopPropagation();
    e.preventDefault();
    const from = this.metres(e),
      home = [st.east, st.north],
      was = this.selected;
    let moved = false;
    this.setSelected(st.id);
    this.follow(
      (m) => {
        const p = this.metres(m);
        if (!moved && Math.hypot(p[0] - from[0], p[1] - from[1]) < 3 * this.px()) return;
        if (!moved) this.beginDrag(st);
        moved = true;
        const dx = home[0] + p[0] - from[0] - st.east,
          dy = home[1] + p[1] - from[1] - st.north;
        st.east += dx;
        st.north += dy;
        st.aim = [st.aim[0] + dx, st.aim[1] + dy, st.aim[2]];
        this.setCamera(this.viewFrom(st));
        this.draggedTo();
        this.look();
      },
      () => {
        if (moved) {
          this.dropped({}, st);
          if (was !== st.id) this.openTab('station');
        } else {
          this.openTab('station');
          if (was !== st.id || this.tab_ !== 'station') this.slip();
          this.drawRoute();
          this.go(st.t ?? this.t);
        }
      },
    );
  },
  dragAim(e, st) {
    e.stopPropagation();
    e.preventDefault();
    const reach = Math.hypot(st.aim[0] - st.east, st.aim[1] - st.north);
    this.follow(
      (m) => {
        const p = this.metres(m),
          d = Math.max(1e-3, Math.hypot(p[0] - st.east, p[1] - st.north));
        st.aim = [st.east + ((p[0] - st.east) / d) * reach, st.north + ((p[1] - st.north) / d) * reach, st.aim[2]];
        this.setCamera(this.viewFrom(st));
        this.drawRoute();
        this.look();
      },
      () => this.dropped({ aim: st.aim.map((v) => +v.toFixed(3)) }, st),
    );
  },
};
