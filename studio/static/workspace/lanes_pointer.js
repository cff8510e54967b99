/* Keys edited by hand in the lanes. */
import { clamp, refs, pointerDrag } from '../kit/dom.js';
import { LANE, near, dragged, keyAt } from './keys_drawn.js';

/** @type {import('../types.js').Part} */
export const lanesPointer = {
  band: null,
  readout: '',

  hit(x, y) {
    for (const grip of this.grips || []) if (Math.hypot(grip.x - x, grip.y - y) < 8) return { grip };
    const b = this.bracket;
    if (b && y < 5.5 && (Math.abs(x - b.a) < 7 || Math.abs(x - b.b) < 7))
      return { bracket: Math.abs(x - b.b) < 7 ? 'b' : 'a' };
    const top = refs.lanes.scrollTop;
    for (const row of this.seenRows()) {
      const ry = row.y - top;
      if (y < ry || y >= ry + row.high) continue;
      let best = null,
        far = 9;
      for (const key of row.lane.keys) {
        const kx = this.lineX(key.t);
        if (Math.abs(kx - x) > 9) continue;
        const d =
          row.high > LANE && row.lane.kind === 'number'
            ? Math.hypot(kx - x, row.scale ? row.scale.Y(key.v) - y : 0)
            : Math.abs(kx - x);
        if (d < far) {
          far = d;
          best = key;
        }
      }
      return { row, key: best };
    }
    return {};
  },
  // the time that a drag to ``t`` means: on frames, or on seconds, or on another key close by; free with alt
  snapped(t, free, but = []) {
    if (free) return t;
    const close = (5 * (this.span().b - this.span().a)) / Math.max(1, refs.timeline.clientWidth);
    let best = null,
      far = close;
    for (const lane of this.lanesNow())
      for (const key of lane.keys) {
        const d = Math.abs(key.t - t);
        if (d < far && !but.some((q) => near(q, key.t))) {
          far = d;
          best = key.t;
        }
      }
    if (best !== null) return best;
    if (this.units === 'seconds') {
      const step = [0.1, 0.25, 0.5, 1, 2, 5].find((v) => v >= close * 2) || 10,
        s = Math.round(t / step) * step;
      if (Math.abs(s - t) < close) return s;
    }
    return Math.round(t * this.fps()) / this.fps();
  },
  downLanes(e) {
    if (e.button) return;
    const r = refs.lanecanvas.getBoundingClientRect(),
      x = e.clientX - r.left,
      y = e.clientY - r.top,
      found = this.hit(x, y);
    refs.lanes.focus({ preventScroll: true });
    if (found.grip) return this.dragGrip(e, found.grip);
    if (found.bracket) return this.dragBracket(e, found.bracket);
    if (found.key) {
      const path = found.row.lane.path,
        t = found.key.t,
        on = this.isPicked(path, t);
      if (e.shiftKey) {
        const p = { ...this.picked };
        p[path] = on ? p[path].filter((q) => !near(q, t)) : [...(p[path] || []), t];
        this.setPicked(p);
        if (on) return;
      } else if (!on) this.setPicked({ [path]: [t] });
      return this.dragKeys(e, found.row.lane, found.key);
    }
    // a band picks what it covers; a press alone sets the playhead
    const add = e.shiftKey ? this.picked : {},
      top = refs.lanes.scrollTop;
    let moved = false;
    const move = (m) => {
      const mx = m.clientX - r.left,
        my = m.clientY - r.top;
      if (!moved && Math.hypot(mx - x, my - y) < 4) return;
      moved = true;
      this.band = [Math.min(x, mx), Math.min(y, my), Math.max(x, mx), Math.max(y, my)];
      const p = { ...add };
      for (const row of this.seenRows()) {
        const ry = row.y - top;
        if (ry + row.high < this.band[1] || ry > this.band[3]) continue;
        const inside = row.lane.keys
          .filter((k) => {
            const kx = this.lineX(k.t),
              ky = row.high > LANE && row.scale ? row.scale.Y(k.v) : null;
            return (
              kx >= this.band[0] && kx <= this.band[2] && (ky === null || (ky >= this.band[1] && ky <= this.band[3]))
            );
          })
          .map((k) => k.t);
        if (inside.length) p[row.lane.path] = [...new Set([...(add[row.lane.path] || []), ...inside])];
      }
      this.setPicked(p);
    };
    const up = () => {
      this.band = null;
      if (!moved) {
        this.setPicked({});
        this.go(Math.floor(clamp(this.lineT(x), 0, this.s.shot.seconds) * this.fps() + 1e-6) / this.fps() + 1e-6);
      }
      this.drawSoon();
    };
    pointerDrag(move, up);
  },
  // show picked keys as they would be after a move, before it is made
  hold(change) {
    dragged.held = {};
    dragged.times = {};
    for (const [path, set] of Object.entries(dragged.sets)) {
      const lane = this.lane(path);
      if (!lane) continue;
      const moved = [],
        rest = [],
        now = new Set();
      for (const key of lane.keys) {
        if (!set.has(Math.round(key.t * 1e4))) {
          rest.push(key);
          continue;
        }
        const k = change(key, lane);
        moved.push(k);
        now.add(Math.round(k.t * 1e4));
      }
      dragged.held[path] = rest.length
        ? [...rest.filter((k) => !now.has(Math.round(k.t * 1e4))), ...moved].sort((a, b) => a.t - b.t)
        : moved;
      dragged.times[path] = now;
    }
  },
  release() {
    dragged.held = dragged.times = dragged.scale = null;
    this.readout = '';
    this.drawSoon();
  },
  // keys that were moved stay picked where they went
  async edited(c, times) {
    this.setPickedNext(times);
    const ok = await this.command(c);
    this.setPickedNext(null);
    this.release();
    return ok;
  },
  dragKeys(e, lane, key) {
    const x0 = e.clientX,
      y0 = e.clientY,
      open = this.openLane === lane.path && lane.kind === 'number',
      sc = open ? this.openScale : null,
      all = Object.values(this.picked).flat();
    let by = 0,
      rise = 0,
      moved = false;
    if (open && sc) dragged.scale = sc.range;
    const move = (m) => {
      if (!moved && Math.hypot(m.clientX - x0, m.clientY - y0) < 3) return;
      moved = true;
      const sideways = Math.abs(m.clientX - x0) >= 3,
        upward = open && (Math.abs(m.clientY - y0) >= 4 || rise) && !(m.shiftKey && sideways);
      by = sideways ? this.snapped(this.lineT(this.lineX(key.t) + m.clientX - x0), m.altKey, all) - key.t : 0;
      if (upward) {
        const from = sc.S(sc.Y(key.v)),
          to = from - ((m.clientY - y0) * (sc.range[1] - sc.range[0])) / (sc.y1 - sc.y0);
        rise = lane.blend === 'ratio' ? key.v * (Math.exp(to - from) - 1) : to - from;
      }
      rise = +rise.toPrecision(4);
      this.hold((k, l) => keyAt(k, k.t + by, l.kind === 'number' && rise ? k.v + rise : k.v));
      const risen = rise ? `, ${this.number(key.v + rise, lane.unit)}` : '';
      this.readout = `${by >= 0 ? '+' : ''}${by.toFixed(3)} s${risen}`;
      this.drawSoon();
    };
    const up = () => {
      if (!moved || (!by && !rise)) {
        this.release();
        if (!moved && !e.shiftKey) this.go(clamp(key.t, 0, this.s.shot.seconds) + 1e-6);
        return;
      }
      this.edited(
        {
          op: 'shift_keys',
          picked: this.pickedList(),
          by: +by.toFixed(9),
          rise,
        },
        Object.fromEntries(Object.entries(this.picked).map(([p, ts]) => [p, ts.map((t) => +(t + by).toFixed(9))])),
      );
    };
    pointerDrag(move, up);
    e.preventDefault();
  },
  dragBracket(e, end) {
    const b = { ...this.bracket },
      about = end === 'b' ? b.from : b.to,
      edge = end === 'b' ? b.to : b.from,
      r = refs.lanecanvas.getBoundingClientRect(),
      all = Object.values(this.picked).flat();
    let by = 1;
    const move = (m) => {
      const t = this.snapped(this.lineT(m.clientX - r.left), m.altKey, all);
      by = Math.max(0.01, (t - about) / (edge - about));
      this.hold((k) => keyAt(k, about + (k.t - about) * by, k.v));
      this.readout = `${by.toFixed(2)} times as slow`;
      this.drawSoon();
    };
    const up = () => {
      if (Math.abs(by - 1) < 1e-6) {
        this.release();
        return;
      }
      this.stretch(by, about);
    };
    pointerDrag(move, up);
    e.preventDefault();
  },
  dragGrip(e, grip) {
    const { lane, key, next, kind, at } = grip,
      r = refs.lanecanvas.getBoundingClientRect(),
      sc = this.openScale,
      a = sc.down(key.v),
      b = sc.down(next.v);
    dragged.scale = sc.range;
    let made = [...key[kind]],
      folded = false;
    const move = (m) => {
      const share = (this.lineT(m.clientX - r.left) - key.t) / (next.t - key.t),
        v = sc.S(m.clientY - r.top);
      folded = share < 0 || share > 1;
      made = [...made];
      made[at] = +clamp(share, 0, 1).toFixed(5);
      made[at + 1] = +(kind === 'handles' ? v - (at ? b : a) : (v - a) / (b - a || 1)).toPrecision(6);
      dragged.held = {
        [lane.path]: lane.keys.map((k) => (k === key ? { ...k, [kind]: made } : k)),
      };
      this.readout = folded ? 'a handle cannot fold back in time' : `handle at ${this.number(sc.up(v), lane.unit)}`;
      this.drawSoon();
    };
    const up = () => {
      this.edited(
        {
          op: 'join_keys',
          picked: [{ path: lane.path, times: [key.t] }],
          join: kind === 'handles' ? 'free' : 'bezier',
          [kind]: made,
        },
        this.picked,
      ).then(() => {
        if (folded) this.say("A handle that folded back in time was held at its key's time.");
      });
    };
    pointerDrag(move, up);
    e.preventDefault();
  },
  doubleLanes(e) {
    const r = refs.lanecanvas.getBoundingClientRect(),
      x = e.clientX - r.left,
      found = this.hit(x, e.clientY - r.top);
    if (!found.row || found.key) return;
    const lane = found.row.lane,
      t = +(Math.round(this.lineT(x) * this.fps()) / this.fps()).toFixed(9);
    if (lane.kind !== 'number') {
      this.toggleLane(lane.path);
      return;
    }
    this.edited(
      {
        op: 'key',
        path: lane.path,
        t,
        value: +this.curve(lane).at(t).toPrecision(9),
      },
      { [lane.path]: [t] },
    );
  },
  wheelLanes(e) {
    if (e.ctrlKey || e.altKey) {
      const lane = this.lane(this.openLane);
      if (!lane || !this.openScale) return;
      e.preventDefault();
      const r = refs.lanecanvas.getBoundingClientRect(),
        v = this.openScale.S(e.clientY - r.top),
        [lo, hi] = this.openScale.range,
        k = e.deltaY > 0 ? 1.2 : 1 / 1.2;
      this.setValueZoom([this.openScale.up(v + (lo - v) * k), this.openScale.up(v + (hi - v) * k)]);
      this.drawSoon();
    } else if (e.shiftKey || this.lanesHigh() <= refs.lanes.clientHeight) this.wheelTime(e);
  },
};
