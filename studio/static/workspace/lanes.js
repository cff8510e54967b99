/* Lanes: which there are, what is picked in them, and what they say. */
import { clamp, refs } from '../kit/dom.js';
import { readied } from '../kit/curves.js';
import { LANE, OPEN, near, dragged } from './keys_drawn.js';

/** @type {import('../types.js').Part} */
export const lanes = {
  openLane: '',
  valueZoom: null,
  picked: {},
  pickedNext: null,

  setOpenLane(value) {
    this.openLane = value;
    return value;
  },
  setValueZoom(value) {
    this.valueZoom = value;
    return value;
  },
  setPickedNext(value) {
    this.pickedNext = value;
    return value;
  },
  // drawing reads thousands of keys: it asks the plain state, not the watched one
  lanesNow() {
    return Alpine.raw(Alpine.raw(this.s).lanes);
  },
  lane(path) {
    return this.lanesNow().find((l) => l.path === path);
  },
  // where each lane lies in the list, from its top
  rows() {
    let y = 0;
    return this.lanesNow().map((lane) => {
      const high = lane.path === this.openLane ? OPEN : LANE,
        row = { lane, y, high };
      y += high;
      return row;
    });
  },
  lanesHigh() {
    return this.s.lanes.length * LANE + (this.lane(this.openLane) ? OPEN - LANE : 0);
  },
  rowsShown() {
    return this.s.lanes.length && this.laneTop + this.laneHigh >= 0 && this.openLane !== null
      ? this.seenRows().map((r) => ({ ...r, path: r.lane.path }))
      : [];
  },
  seenRows() {
    const box = refs.lanes;
    if (!box) return [];
    const top = box.scrollTop,
      bottom = top + box.clientHeight;
    return this.rows().filter((r) => r.y + r.high > top - 40 && r.y < bottom + 40);
  },
  valueAt(lane) {
    if (lane.samples && !dragged.held) {
      const k = ((this.t - lane.from) / (lane.to - lane.from)) * (lane.samples.length - 1),
        i = clamp(Math.floor(k), 0, lane.samples.length - 2);
      return lane.samples[i] + (lane.samples[i + 1] - lane.samples[i]) * clamp(k - i, 0, 1);
    }
    return this.curve(lane).at(this.t);
  },
  valueText(lane) {
    if (lane.kind !== 'number') return `${lane.keys.length} key${lane.keys.length === 1 ? '' : 's'}`;
    return this.number(this.valueAt(lane), lane.unit);
  },
  number(v, unit) {
    const n = Math.abs(v) >= 10000 ? Math.round(v).toLocaleString('en') : String(+v.toPrecision(4));
    return unit === 'f/' ? `f/${n}` : unit === 'x' || !unit ? n : `${n} ${unit}`;
  },
  curve(lane) {
    const keys = this.keysOf(lane);
    if (lane._of !== keys || lane._rules !== lane.before + lane.after + lane.blend) {
      lane._curve = readied({ ...lane, keys });
      lane._of = keys;
      lane._rules = lane.before + lane.after + lane.blend;
    }
    return lane._curve;
  },
  toggleLane(path) {
    this.openLane = this.openLane === path ? '' : path;
    this.valueZoom = null;
    this.$nextTick(() => {
      this.drawTimeline();
      this.drawDrawing();
      this.drawChart();
    });
  },
  palette() {
    const c = getComputedStyle(document.documentElement),
      get = (n) => c.getPropertyValue(n).trim();
    return {
      ink: get('--ink'),
      faint: get('--faint'),
      rule: get('--rule'),
      amber: get('--amber'),
      fill: get('--amber-fill'),
      marsh: get('--marsh'),
      tide: get('--tide'),
      sheet: get('--sheet'),
      seat: get('--seat'),
      brick: get('--brick'),
    };
  },
  isPicked(path, t) {
    const set = (dragged.times && dragged.times[path]) || dragged.sets[path];
    return !!set && set.has(Math.round(t * 1e4));
  },
  countPicked() {
    return Object.values(this.picked).reduce((n, p) => n + p.length, 0);
  },
  setPicked(picked) {
    this.picked = Object.fromEntries(Object.entries(picked).filter(([, p]) => p.length));
    dragged.sets = Object.fromEntries(
      Object.entries(this.picked).map(([path, p]) => [path, new Set(p.map((t) => Math.round(t * 1e4)))]),
    );
    this.drawSoon();
  },
  theKey() {
    const paths = Object.keys(this.picked);
    if (paths.length !== 1 || this.picked[paths[0]].length !== 1) return null;
    const lane = this.lane(paths[0]);
    return lane ? lane.keys.find((k) => near(k.t, this.picked[paths[0]][0])) || null : null;
  },
  theLane() {
    return this.lane(Object.keys(this.picked)[0]);
  },
  pickedList() {
    return Object.entries(this.picked).map(([path, times]) => ({
      path,
      times,
    }));
  },
  pickedText() {
    const n = this.countPicked(),
      ts = Object.values(this.picked).flat();
    if (!n) return '';
    const paths = Object.keys(this.picked),
      whose = paths.length === 1 ? (this.lane(paths[0]) || {}).title : `${paths.length} values`;
    const span = n > 1 ? `, ${Math.min(...ts).toFixed(2)}–${Math.max(...ts).toFixed(2)} s` : '';
    return `${n === 1 ? 'a key' : n + ' keys'} of ${whose}${span}`;
  },
  keysOf(lane) {
    return (dragged.held && dragged.held[lane.path]) || lane.keys;
  },
  selectLane(path) {
    const lane = this.lane(path);
    if (lane) this.setPicked({ [path]: lane.keys.map((k) => k.t) });
  },
  sayPicked() {
    const key = this.theKey(),
      lane = this.theLane();
    if (key && lane) this.go(clamp(key.t, 0, this.s.shot.seconds) + 1e-6);
  },
  // the lanes by keyboard: up and down change the lane, with ctrl left and right the key, alone they move
  // it; enter opens the curve
  keyLanes(e) {
    const lanes = this.lanesNow(),
      paths = Object.keys(this.picked),
      path = paths[0] || this.openLane,
      at = lanes.findIndex((l) => l.path === path),
      by = e.shiftKey ? 10 : 1;
    if (!lanes.length || e.altKey) return false;
    if (e.key === 'ArrowUp' || e.key === 'ArrowDown') {
      const next = lanes[clamp(at + (e.key === 'ArrowDown' ? 1 : -1), 0, lanes.length - 1)],
        key = next.keys.reduce((a, b) => (Math.abs(b.t - this.t) < Math.abs(a.t - this.t) ? b : a));
      this.setPicked({ [next.path]: [key.t] });
      this.sayPicked();
      return true;
    }
    if (e.key === 'Enter' && path) {
      this.toggleLane(path);
      return true;
    }
    const side = e.key === 'ArrowRight' ? 1 : e.key === 'ArrowLeft' ? -1 : 0;
    if (!side || !paths.length) return false;
    if (!e.ctrlKey) {
      this.nudge(side * by);
      return true;
    }
    const lane = lanes[at],
      ts = this.picked[path],
      edge = side > 0 ? Math.max(...ts) : Math.min(...ts),
      i = lane.keys.findIndex((k) => near(k.t, edge)),
      key = lane.keys[clamp(i + side, 0, lane.keys.length - 1)];
    this.setPicked({
      [path]: e.shiftKey ? [...new Set([...ts, key.t])] : [key.t],
    });
    this.sayPicked();
    return true;
  },
  nudge(by) {
    this.edited(
      {
        op: 'shift_keys',
        picked: this.pickedList(),
        by: +(by / this.fps()).toFixed(9),
      },
      Object.fromEntries(
        Object.entries(this.picked).map(([p, ts]) => [p, ts.map((t) => +(t + by / this.fps()).toFixed(9))]),
      ),
    );
  },
};
