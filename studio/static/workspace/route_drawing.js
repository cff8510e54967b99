/* The route on the chart, and stations dragged. */
import { drawWay, drawWedge } from '../drawings/way.js';
import { clamp, keepingFocus, pointerDrag, refs } from '../kit/dom.js';

/** @type {import('../types.js').Part} */
export const routeDrawing = {
  wedge: null,
  viewAt: null,
  held: null,

  drawRoute() {
    keepingFocus(this.overlay, () => this.drawRouteAnew());
  },
  drawRouteAnew() {
    const px = this.held ? this.held.px : this.px();
    if (!this.overlay) return;
    this.wedge = drawWay(
      this.overlay,
      {
        route: Alpine.raw(this.s).route,
        wrong: this.wrong(),
        views: this.bench === 'route' ? this.views : [],
        viewShown: this.viewShown,
        selected: this.selected,
        px,
        aimPoint: (at) => this.aimPoint(at, px),
      },
      {
        pressView: (e, v) => this.pressView(e, v),
        pickView: (v, again) => (again ? this.keepView(v) : this.lookAtView(v)),
        dragAim: (e, st) => this.dragAim(e, st),
        dragStation: (e, st) => this.dragStation(e, st),
        keyStation: (e, st) => this.keyStation(e, st),
      },
    );
    this.settleNames(px);
    this.drawWedgeNow();
  },
  // drawing anew under the pointer swallows the browser's own double click, so it is told by time
  pressView(e, v) {
    e.stopPropagation();
    e.preventDefault();
    const now = performance.now(),
      twice = this.viewShown === v.id && now - (this.viewAt || 0) < 450;
    this.viewAt = now;
    twice ? this.keepView(v) : this.lookAtView(v);
  },
  drawWedgeNow() {
    if (!this.wedge || !this.view) return;
    drawWedge(this.wedge, { camera: this.camera(), px: this.held ? this.held.px : this.px() });
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
