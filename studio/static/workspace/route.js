/* The route: stations, the ride check and its repairs, paths brought in. */
import { el, cookie, refs, pointerDrag } from '../kit/dom.js';

/** @type {import('../types.js').Part} */
export const route = {
  views: [],
  rideAsked: 0,
  ride: null,
  mending: '',
  mended: '',
  suggesting: false,
  viewShown: null,
  pathAsk: null,
  marks: JSON.parse(localStorage.getItem('lw-marks') || '{"thirds":false,"safe":false,"aspect":""}'),
  marksBox: '',
  pathAs: 'exact',

  setViews(value) {
    this.views = value;
    return value;
  },
  async askRide() {
    const mine = (this.rideAsked = (this.rideAsked || 0) + 1),
      rev = this.s.rev,
      shot = this.s.shot.id;
    await this.firstPicture();
    if (mine !== this.rideAsked) return;
    const reply = await fetch(this.url(`ride/?shot=${shot}`)).catch(() => null);
    if (!reply || reply.status !== 200 || mine !== this.rideAsked) return;
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
          this.setTime(st.t ?? this.t);
          this.setCamera(null);
          this.openTab('station');
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
        this.setCamera(null);
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
      this.setChartMode('');
      const n = this.s.route.stations.length;
      this.command({
        op: 'add_station',
        shot: this.s.shot.id,
        index: n,
        stand: { east, north, aim_east: aim[0], aim_north: aim[1] },
      }).then((ok) => {
        if (ok) {
          const st = this.s.route.stations.at(-1);
          this.openTab('station');
          this.select(st.id);
          this.go(st.t ?? 0);
        }
      });
    };
    pointerDrag(move, up);
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
      data = reply
        ? await reply.json().catch(() => ({ views: this.views }))
        : { error: 'The server cannot be reached.' };
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
    this.setView({
      x: (Math.max(...xs) + Math.min(...xs)) / 2,
      y: (Math.max(...ys) + Math.min(...ys)) / 2,
      wide: r,
    });
    this.drawChart();
  },
  lookAtView(v) {
    this.setCamera({
      x: v.east,
      y: v.north,
      z: v.up,
      ...this.towards(v),
      focal: v.seen_focal,
      roll: 0,
    });
    this.look();
    this.drawWedgeNow();
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
        this.setCamera(null);
        this.drawChart();
      }
    });
  },
  openPaths() {
    this.pathAsk = null;
    this.setDialog('path');
  },
  forgetPath() {
    this.pathAsk = null;
  },
  undoMend() {
    this.mended = '';
    this.undo();
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
      clock: said.clock || '',
      here: said.here || '',
    }))
      form.set(k, v);
    form.set('file', file);
    this.setBusy(`taking in ${file.name} …`);
    let reply;
    try {
      reply = await fetch(this.url('lay/'), {
        method: 'POST',
        headers: { 'X-CSRFToken': cookie('csrftoken') },
        body: form,
      });
    } catch {
      this.setBusy('');
      this.say('The server cannot be reached: nothing was changed.');
      return;
    }
    this.setBusy('');
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
      this.setDialog('');
      this.say(data.error);
      return;
    }
    this.setDialog('');
    this.take_state(data.state);
    this.frameChart();
    this.drawChart();
    this.say(`Taken in. ${data.note}.`);
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
      this.setSelected(st.id);
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
      this.openTab('station');
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
      this.setSelected('');
    }
  },
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
