/* The Route bench: stations and ways on the chart, the section and the pacing under it, the ride check and
   its repairs. */
'use strict';

const MARKS = [
  ['', 'no frame'],
  ['2.39', '2.39:1'],
  ['1.85', '1.85:1'],
  ['1.3333', '4:3'],
  ['1', 'square'],
  ['0.5625', '9:16'],
];

const routePart = {
  ride: null,
  tab_: 'station',
  chartMode: '',
  paceDrawing: false,
  views: [],
  suggesting: false,
  pathAsk: null,
  pathAs: 'exact',
  mending: '',
  mended: '',
  marks: JSON.parse(localStorage.getItem('lw-marks') || '{"thirds":false,"safe":false,"aspect":""}'),
  marksBox: '',

  // -- the ride check -----------------------------------------------------------------------------------
  async askRide() {
    const mine = (this.rideAsked = (this.rideAsked || 0) + 1),
      rev = this.s.rev,
      shot = this.s.shot.id;
    const reply = await fetch(this.url(`ride/?shot=${shot}`)).catch(() => null);
    if (!reply || !reply.ok || mine !== this.rideAsked) return;
    const data = await reply.json();
    if (data.rev !== this.s.rev || data.shot !== this.s.shot.id || rev !== this.s.rev) return;
    this.ride = data;
    this.drawRoute();
    this.drawDrawing();
    this.drawTimeline();
  },
  faults() {
    return this.ride && this.ride.shot === this.s.shot.id ? this.ride.found : [];
  },
  wrong() {
    return this.faults().filter((f) => f.kind !== 'still');
  },
  rideText() {
    const n = this.wrong().length;
    return !this.ride ? 'Ride check' : n ? `Ride check: ${n}` : 'Ride check: clean';
  },
  tabs() {
    return (
      {
        route: [
          ['station', 'Stations'],
          ['way', 'Way'],
          ['pace', 'Pace'],
          ['aim', 'Looks'],
          ['lens', 'Lens'],
        ],
        cut: [
          ['film', 'Film'],
          ['shot', 'Shot'],
          ['develop', 'Develop'],
          ['finish', 'Finish'],
        ],
      }[this.bench] || []
    );
  },
  tabNow() {
    return this.bench === 'cut' ? this.cutTab : this.tab_;
  },
  setTab(tab) {
    if (this.bench === 'cut') this.cutTab = tab;
    else this.tab_ = tab;
    this.slip();
  },
  async reshape(tail, body) {
    let reply;
    try {
      reply = await this.postChange(tail, body);
    } catch {
      this.say('The server cannot be reached: nothing was changed. Try again in a moment.');
      return null;
    }
    const data = reply.redirected
      ? { error: 'Your session has ended: sign in again.' }
      : await reply.json().catch(() => ({ error: 'The server could not do this.' }));
    if (!reply.ok || data.error) {
      this.say(data.error);
      return null;
    }
    if (data.state) this.take_state(data.state);
    return data;
  },
  async mend(how, fault) {
    this.mending = how + (fault ? fault.from_s : '');
    const data = await this.reshape(
      'mend/',
      fault ? { how, from: fault.from_s, to: fault.to_s, kind: fault.kind } : { how },
    );
    this.mending = '';
    if (data) {
      this.mended = data.done.join(' · ');
      if (fault) this.go(fault.from_s);
    }
  },

  // -- stations -----------------------------------------------------------------------------------------
  setStation() {
    const view = this.camera(),
      stations = this.s.route.stations;
    let index = stations.findIndex((st) => st.t !== null && st.t > this.t + 1e-3);
    if (index < 0 || this.t < 1e-6) index = stations.length;
    this.command({
      op: 'add_station',
      shot: this.s.shot.id,
      index,
      view,
      t: +this.t.toFixed(4),
    }).then((ok) => {
      if (ok) {
        const st = this.s.route.stations[index];
        if (st) {
          this.t = st.t ?? this.t;
          this.cam = null;
          this.tab_ = 'station';
          this.select(st.id);
          this.sync();
        }
      }
    });
  },
  viewFrom(st) {
    return { x: st.east, y: st.north, z: st.up, ...this.towards(st), focal: st.focal };
  },
  station(id) {
    return this.s.route.stations.find((st) => st.id === id);
  },
  updateStation(id) {
    if (!this.station(id)) {
      this.say("Pick a station first: U then stores the look's view in it.");
      return;
    }
    this.command({
      op: 'update_station',
      shot: this.s.shot.id,
      station: id,
      view: this.camera(),
    }).then((ok) => {
      if (ok) {
        this.cam = null;
        this.look();
      }
    });
  },
  meetHere(id) {
    this.command({
      op: 'time_stations',
      shot: this.s.shot.id,
      times: this.s.route.stations.map((st) => (st.id === id ? +this.t.toFixed(4) : st.t)),
    });
  },
  rollLook(by) {
    const c = this.free();
    let roll = (c.roll || 0) + by;
    if (Math.abs(roll) < 0.15) roll = 0;
    c.roll = clamp(roll, -180, 180);
    this.look();
    this.say(c.roll ? `Rolled by ${c.roll.toFixed(1)}°.` : '');
  },
  towards(st) {
    const d = [st.aim[0] - st.east, st.aim[1] - st.north, st.aim[2] - st.up];
    return {
      bearing: ((Math.atan2(d[0], d[1]) * 180) / Math.PI + 360) % 360,
      pitch: (Math.atan2(d[2], Math.hypot(d[0], d[1])) * 180) / Math.PI,
    };
  },
  pickSpot(what) {
    this.picking = what;
    this.say(what === 'focus' ? 'Click what should be sharp.' : 'Click the spot that is circled, or looked at.');
  },
  async pickedSpot(what, e) {
    const r = refs.look.getBoundingClientRect();
    const reply = await fetch(
      this.url(`spot/?u=${(e.clientX - r.left) / r.width}&v=${(e.clientY - r.top) / r.height}`),
    );
    const data = await reply.json().catch(() => ({ error: 'This spot cannot be read.' }));
    if (data.error) {
      this.say(data.error);
      return;
    }
    if (what === 'subject') {
      const route = `/shots/${this.s.shot.id}/route`;
      this.command({
        op: 'several',
        edits: [
          { op: 'set', path: `${route}/subject`, value: '' },
          { op: 'set', path: `${route}/spot`, value: data.point },
        ],
        label: 'subject: a spot of the look',
      });
      return;
    }
    if (this.station(this.selected))
      this.command({
        op: 'set',
        path: `/shots/${this.s.shot.id}/route/stations/${this.selected}/focus`,
        value: Math.max(0.1, data.distance),
      });
    else
      this.send({
        typed: this.typedOf(`/shots/${this.s.shot.id}/exposure/focus`, `${Math.max(0.1, data.distance)} m`),
      });
  },

  // -- ways: drawn, suggested, brought in ----------------------------------------------------------------
  drawnWay(points) {
    if (points.length < 2) {
      this.say('A way needs two points at least.');
      this.drawChart();
      return;
    }
    this.reshape('draw/', {
      points,
      way: this.s.shot.way === 'walk' ? 'walk' : 'fly',
    });
  },
  standOnChart(e) {
    const [east, north] = this.metres(e);
    let aim = [east, north + 10];
    const move = (m) => {
      aim = this.metres(m);
      const px = this.px();
      this.overlay.querySelectorAll('[data-standing]').forEach((n) => n.remove());
      this.overlay.append(
        el('path', {
          d: `M${east} ${-north}L${aim[0]} ${-aim[1]}`,
          stroke: 'var(--amber)',
          'stroke-width': 2 * px,
          'data-standing': 1,
        }),
        el('rect', {
          x: east - 5 * px,
          y: -north - 5 * px,
          width: 10 * px,
          height: 10 * px,
          fill: 'var(--amber-fill)',
          stroke: 'var(--ink)',
          'stroke-width': 1.4 * px,
          'data-standing': 1,
        }),
      );
    };
    const up = () => {
      window.removeEventListener('pointermove', move);
      window.removeEventListener('pointerup', up);
      this.chartMode = '';
      const n = this.s.route.stations.length;
      this.command({
        op: 'add_station',
        shot: this.s.shot.id,
        index: n,
        stand: { east, north, aim_east: aim[0], aim_north: aim[1] },
      }).then((ok) => {
        if (ok) {
          const st = this.s.route.stations.at(-1);
          this.tab_ = 'station';
          this.select(st.id);
          this.go(st.t ?? 0);
        }
      });
    };
    window.addEventListener('pointermove', move);
    window.addEventListener('pointerup', up);
    e.preventDefault();
  },
  async suggest() {
    if (this.views.length) {
      this.views = [];
      this.drawChart();
      return;
    }
    this.suggesting = true;
    const reply = await fetch(this.url(`suggest/?shot=${this.s.shot.id}`)).catch(() => null),
      data = reply ? await reply.json() : { error: 'The server cannot be reached.' };
    this.suggesting = false;
    if (data.error) {
      this.say(data.error);
      return;
    }
    this.views = data.views;
    this.zoomToViews();
  },
  zoomToViews() {
    const xs = this.views.map((v) => v.east),
      ys = this.views.map((v) => v.north),
      r = Math.max(Math.max(...xs) - Math.min(...xs), Math.max(...ys) - Math.min(...ys), 40) * 1.35;
    this.view = {
      x: (Math.max(...xs) + Math.min(...xs)) / 2,
      y: (Math.max(...ys) + Math.min(...ys)) / 2,
      wide: r,
    };
    this.drawChart();
  },
  lookAtView(v) {
    this.cam = {
      x: v.east,
      y: v.north,
      z: v.up,
      ...this.towards(v),
      focal: v.seen_focal,
      roll: 0,
    };
    this.look();
    this.drawWedge();
    this.viewShown = v.id;
    this.drawRoute();
  },
  keepView(v) {
    const taken = this.s.route.stations.map((st) => st.id);
    let k = 1;
    while (taken.includes(`s${k}`)) k++;
    this.command({
      op: 'add_station',
      shot: this.s.shot.id,
      station: { ...v, id: `s${k}`, seen_focal: undefined },
    }).then((ok) => {
      if (ok) {
        this.views = this.views.filter((q) => q.id !== v.id);
        this.cam = null;
        this.drawChart();
      }
    });
  },
  async layFile(input) {
    const file = input ? input.files[0] : this.pathAsk && this.pathAsk.file;
    if (!file) return;
    const form = new FormData(),
      said = this.pathAsk || {};
    for (const [k, v] of Object.entries({
      rev: this.s.rev,
      shot: this.s.shot.id,
      as: this.pathAs,
      unit: said.unit || '',
      which: said.which || '',
    }))
      form.set(k, v);
    form.set('file', file);
    this.busy = `taking in ${file.name} …`;
    let reply;
    try {
      reply = await fetch(this.url('lay/'), {
        method: 'POST',
        headers: { 'X-CSRFToken': cookie('csrftoken') },
        body: form,
      });
    } catch {
      this.busy = '';
      this.say('The server cannot be reached: nothing was changed.');
      return;
    }
    this.busy = '';
    const data = await reply.json().catch(() => ({ error: 'The server could not take this in.' }));
    if (data.ask) {
      this.pathAsk = {
        ...said,
        file,
        ask: data.ask,
        words: data.words,
        choices: data.choices,
        [data.ask]: data.choices[0],
      };
      return;
    }
    this.pathAsk = null;
    if (input) input.value = '';
    if (data.error) {
      this.dialog = '';
      this.say(data.error);
      return;
    }
    this.dialog = '';
    this.take_state(data.state);
    this.frameChart();
    this.drawChart();
    this.say(`Taken in. ${data.note}.`);
  },

  // -- on the chart --------------------------------------------------------------------------------------
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
  aimPoint(st, px) {
    const dx = st.aim[0] - st.east,
      dy = st.aim[1] - st.north,
      k = (46 * px) / Math.max(1e-6, Math.hypot(dx, dy));
    return [st.east + dx * k, st.north + dy * k];
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
      this.cam = null;
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
    const onUp = () => {
      window.removeEventListener('pointermove', onMove);
      window.removeEventListener('pointerup', onUp);
      const last = next;
      next = null;
      if (last) move(last);
      up();
    };
    window.addEventListener('pointermove', onMove);
    window.addEventListener('pointerup', onUp);
  },
  dragStation(e, st) {
    if (e.target.dataset.aim || e.button || this.chartMode || this.drafting) return;
    e.stopPropagation();
    e.preventDefault();
    const from = this.metres(e),
      home = [st.east, st.north],
      was = this.selected;
    let moved = false;
    this.selected = st.id;
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
        this.cam = this.viewFrom(st);
        this.draggedTo();
        this.look();
      },
      () => {
        if (moved) {
          this.dropped({}, st);
          if (was !== st.id) this.tab_ = 'station';
        } else {
          this.tab_ = 'station';
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
        this.cam = this.viewFrom(st);
        this.drawRoute();
        this.look();
      },
      () => this.dropped({ aim: st.aim.map((v) => +v.toFixed(3)) }, st),
    );
  },
  keyStation(e, st) {
    const step = e.shiftKey ? 0.25 : 1,
      by = {
        ArrowLeft: [-step, 0],
        ArrowRight: [step, 0],
        ArrowUp: [0, step],
        ArrowDown: [0, -step],
      }[e.key];
    if (by) {
      e.preventDefault();
      e.stopPropagation();
      this.selected = st.id;
      this.command({
        op: 'move_station',
        shot: this.s.shot.id,
        station: st.id,
        east: st.east + by[0],
        north: st.north + by[1],
      });
    }
    if (e.key === 'Enter' || e.key === ' ') {
      e.preventDefault();
      e.stopPropagation();
      this.tab_ = 'station';
      this.select(st.id);
      this.go(st.t ?? this.t);
    }
    if (e.key === 'Delete') {
      e.stopPropagation();
      this.command({
        op: 'remove_station',
        shot: this.s.shot.id,
        station: st.id,
      });
      this.selected = '';
    }
  },

  // -- the section and the pacing under the chart ----------------------------------------------------------
  drawSection(svg, W, H) {
    const route = Alpine.raw(this.s).route,
      rows = route.samples,
      mono = 'IBM Plex Mono';
    if (route.fault) {
      svg.append(
        el(
          'foreignObject',
          { x: 8, y: 6, width: W - 16, height: H - 12 },
          Object.assign(document.createElement('p'), {
            className: 'text-sm text-brick m-0',
            textContent: route.fault,
          }),
        ),
      );
      return;
    }
    if (!rows.length) {
      svg.append(
        el(
          'text',
          { x: 12, y: 24, 'font-size': 13, fill: 'var(--faint)' },
          'The section and the pace are drawn here once the route has a station.',
        ),
      );
      return;
    }
    const h1 = H * 0.58,
      X = (t) => (t / this.s.shot.seconds) * W;
    if (!this.held || !this.sectionRange) {
      let lo = Math.min(...rows.map((r) => Math.min(r[7], r[3]))),
        hi = Math.max(...rows.map((r) => r[3]));
      const pad = Math.max(0.6, (hi - lo) * 0.18);
      this.sectionRange = [lo - pad, hi + pad];
    }
    const [lo, hi] = this.sectionRange,
      Y = (z) => h1 - 4 - ((z - lo) / (hi - lo)) * (h1 - 24);
    this.sectionScale = { perMetre: (h1 - 24) / (hi - lo), h1 };
    this.shadeFaults(svg, X, H);
    svg.append(
      el('path', {
        d:
          'M0 ' +
          h1 +
          'L' +
          rows.map((r) => `${X(r[0]).toFixed(1)} ${Y(r[7]).toFixed(1)}`).join('L') +
          `L${W} ${h1}Z`,
        fill: 'var(--contour)',
        'fill-opacity': 0.42,
        stroke: 'var(--contour-index)',
        'stroke-width': 1,
      }),
    );
    svg.append(
      el('path', {
        d: 'M' + rows.map((r) => `${X(r[0]).toFixed(1)} ${Y(r[3]).toFixed(1)}`).join('L'),
        fill: 'none',
        stroke: 'var(--ink)',
        'stroke-width': 1.8,
        'data-camera': 1,
      }),
    );
    const top = Math.max(1.5, ...rows.map((r) => r[8])) * 1.2,
      turn = Math.max(40, ...rows.map((r) => r[9])) * 1.15,
      Y2 = (v, m) => H - 3 - (v / m) * (H - h1 - 20);
    this.paceScale = {
      top,
      h1,
      H,
      mean: rows.reduce((a, r) => a + r[8], 0) / rows.length,
    };
    svg.append(
      el('rect', {
        x: 0,
        y: h1,
        width: W,
        height: H - h1,
        fill: this.paceDrawing ? 'var(--amber-fill)' : 'transparent',
        'fill-opacity': 0.25,
        'data-pacing': 1,
        style: this.paceDrawing ? 'cursor:crosshair' : null,
      }),
      el('line', { x1: 0, x2: W, y1: h1, y2: h1, stroke: 'var(--rule)' }),
    );
    svg.append(
      el('path', {
        d: 'M' + rows.map((r) => `${X(r[0]).toFixed(1)} ${Y2(r[8], top).toFixed(1)}`).join('L'),
        fill: 'none',
        stroke: 'var(--marsh)',
        'stroke-width': 1.8,
        'data-speed': 1,
      }),
    );
    svg.append(
      el('path', {
        d: 'M' + rows.map((r) => `${X(r[0]).toFixed(1)} ${Y2(r[9], turn).toFixed(1)}`).join('L'),
        fill: 'none',
        stroke: 'var(--amber)',
        'stroke-width': 1.4,
        'stroke-dasharray': '4 3',
      }),
    );
    let above = Infinity;
    for (const [v, words] of [
      [1.4, 'a walk'],
      [5, 'a cyclist'],
      [12, 'a slow drone'],
    ])
      if (v < top && Y2(v, top) > h1 + 18 && above - Y2(v, top) > 12 && Y2(v, top) < H - 8 && (above = Y2(v, top)))
        svg.append(
          el('path', {
            d: `M0 ${Y2(v, top)}h${W}`,
            stroke: 'var(--rule)',
            'stroke-dasharray': '1 4',
          }),
          el(
            'text',
            {
              x: W - 6,
              y: Y2(v, top) - 2,
              'font-size': 10,
              'text-anchor': 'end',
              fill: 'var(--faint)',
            },
            words,
          ),
        );
    for (const st of route.stations) {
      if (st.t === null) continue;
      const on = st.id === this.selected,
        box = el('rect', {
          x: X(st.t) - 4.5,
          y: Y(st.up) - 4.5,
          width: 9,
          height: 9,
          fill: on ? 'var(--amber-fill)' : 'var(--sheet)',
          stroke: 'var(--ink)',
          'stroke-width': 1.4,
          style: this.s.shot.way === 'walk' ? null : 'cursor:ns-resize',
          'data-height': st.id,
        });
      box.addEventListener('pointerdown', (e) => this.dragHeight(e, st));
      svg.append(box);
    }
    this.sectionText = svg.appendChild(
      el('text', {
        x: 8,
        y: 14,
        'font-size': 11.5,
        fill: 'var(--ink)',
        'font-family': mono,
      }),
    );
    this.paceText = svg.appendChild(
      el('text', {
        x: 8,
        y: h1 + 14,
        'font-size': 11.5,
        fill: 'var(--ink)',
        'font-family': mono,
      }),
    );
    this.head = svg.appendChild(
      el('line', {
        y1: 0,
        y2: H,
        stroke: 'var(--amber)',
        'stroke-width': 1.6,
        'pointer-events': 'none',
      }),
    );
    this.stroke = svg.appendChild(
      el('path', {
        'pointer-events': 'none',
        fill: 'none',
        stroke: 'var(--amber)',
        'stroke-width': 2.4,
      }),
    );
    this.drawDrawingHead();
  },
  // what the ride check dislikes: shaded once however many say so, and a bar for each in as few rows as they need
  shadeFaults(svg, X, H) {
    const found = this.wrong(),
      spans = found.map((f) => [X(f.from_s), Math.max(X(f.from_s) + 3, X(f.to_s))]),
      ends = [];
    let reach = -1;
    for (const [a, b] of [...spans].sort((p, q) => p[0] - q[0])) {
      if (b > reach)
        svg.append(
          el('rect', {
            x: Math.max(a, reach),
            y: 18,
            width: b - Math.max(a, reach),
            height: H - 18,
            fill: 'var(--brick)',
            'fill-opacity': 0.1,
          }),
        );
      reach = Math.max(reach, b);
    }
    found.forEach((f, k) => {
      const [a, b] = spans[k];
      let row = ends.findIndex((end) => end < a - 2);
      if (row < 0) row = ends.length;
      ends[row] = b;
      const y = H - 2 - 4 * Math.min(row, 5);
      svg.append(
        el(
          'path',
          {
            d: `M${a} ${y}H${b}`,
            stroke: 'var(--brick)',
            'stroke-width': 2.6,
            'data-fault': f.kind,
          },
          el('title', {}, f.text),
        ),
      );
      if (found.length < 7 && b - a > 6.2 * f.kind.length)
        svg.append(el('text', { x: a + 3, y: y - 4, 'font-size': 10, fill: 'var(--brick)' }, f.kind));
    });
  },
  drawDrawingHead() {
    if (this.bench === 'air') {
      this.drawDrawing();
      return;
    }
    if (this.bench === 'cut') return;
    const rows = Alpine.raw(this.s).route.samples,
      svg = refs.drawing;
    if (!this.head || !rows.length || !svg || !svg.contains(this.head)) return;
    const x = (this.t / this.s.shot.seconds) * (this.held ? this.held.size[0] : svg.clientWidth),
      r = rows[Math.round(clamp(this.t / this.s.shot.seconds, 0, 1) * (rows.length - 1))],
      here = this.wrong().filter((f) => this.t >= f.from_s - 0.03 && this.t <= f.to_s + 0.03);
    this.head.setAttribute('x1', x);
    this.head.setAttribute('x2', x);
    const words =
        here.length > 1 ? [...new Set(here.map((f) => f.kind))].join(', ') : here.length ? here[0].text : '',
      room = Math.floor(svg.clientWidth / 7.1) - 3;
    this.sectionText.textContent = words
      ? words.length > room
        ? `${words.slice(0, room)}…`
        : words
      : `section: camera ${(r[3] - r[7]).toFixed(1)} m over what is below`;
    this.sectionText.setAttribute('fill', here.length ? 'var(--brick)' : 'var(--ink)');
    this.paceText.textContent = `pace ${r[8].toFixed(1)} m/s, turning ${r[9].toFixed(0)}°/s (dashed)`;
  },
  dragHeight(e, st) {
    if (e.button || this.s.shot.way === 'walk') return;
    e.stopPropagation();
    e.preventDefault();
    const y0 = e.clientY,
      up0 = st.up;
    let moved = false;
    this.selected = st.id;
    this.follow(
      (m) => {
        if (!moved && Math.abs(m.clientY - y0) < 3) return;
        if (!moved) this.beginDrag(st);
        moved = true;
        const up = up0 + ((y0 - m.clientY) / this.sectionScale.perMetre) * (m.shiftKey ? 0.25 : 1);
        st.aim = [st.aim[0], st.aim[1], st.aim[2] + up - st.up];
        st.up = +up.toFixed(3);
        this.cam = this.viewFrom(st);
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
      s = this.paceScale,
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
      this.stroke.setAttribute('d', 'M' + line.map((p) => `${p[0].toFixed(1)} ${p[1].toFixed(1)}`).join('L'));
    };
    put(e);
    const up = () => {
      window.removeEventListener('pointermove', put);
      window.removeEventListener('pointerup', up);
      if (points.size < 3) {
        this.stroke.setAttribute('d', '');
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
    window.addEventListener('pointermove', put);
    window.addEventListener('pointerup', up);
  },
  evenPace() {
    this.command({ op: 'draw_pace', shot: this.s.shot.id, points: [] });
  },

  // -- framing marks over the look -----------------------------------------------------------------------
  setMarks(change) {
    this.marks = { ...this.marks, ...change };
    localStorage.setItem('lw-marks', JSON.stringify(this.marks));
  },
  placeMarks() {
    const c = refs.look;
    if (c)
      this.marksBox = `left:${c.offsetLeft}px;top:${c.offsetTop}px;width:${c.offsetWidth}px;height:${c.offsetHeight}px`;
  },
  marksPath() {
    let d = '';
    if (this.marks.thirds) for (const k of [1, 2]) d += `M${(1600 * k) / 3} 0V900M0 ${(900 * k) / 3}H1600`;
    if (this.marks.safe)
      for (const k of [0.93, 0.9])
        d += `M${800 * (1 - k)} ${450 * (1 - k)}H${800 * (1 + k)}V${450 * (1 + k)}H${800 * (1 - k)}Z`;
    return d;
  },
  maskPath() {
    const a = Number(this.marks.aspect);
    if (!a) return '';
    const w = Math.min(1600, 900 * a),
      h = Math.min(900, 1600 / a),
      x = (1600 - w) / 2,
      y = (900 - h) / 2;
    return `M0 0H1600V900H0ZM${x} ${y}V${y + h}H${x + w}V${y}Z`;
  },
};

// few keys that keep the form of a stroke: what is farthest off the straight line between two kept ones is kept next
function thinnedPace(points) {
  const p = points.sort((a, b) => a[0] - b[0]).filter((q, i, all) => !i || q[0] - all[i - 1][0] > 1e-3),
    keep = new Set([0, p.length - 1]);
  const split = (a, b) => {
    let worst = 0.06,
      at = -1;
    for (let k = a + 1; k < b; k++) {
      const on = p[a][1] + ((p[b][1] - p[a][1]) * (p[k][0] - p[a][0])) / (p[b][0] - p[a][0]),
        off = Math.abs(p[k][1] - on);
      if (off > worst) {
        worst = off;
        at = k;
      }
    }
    if (at > 0) {
      keep.add(at);
      split(a, at);
      split(at, b);
    }
  };
  split(0, p.length - 1);
  return p.filter((_, i) => keep.has(i)).map(([t, v]) => [+t.toFixed(3), +v.toFixed(3)]);
}
