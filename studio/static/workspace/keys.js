/* What can be done with picked keys. */

/** @type {import('../types.js').Part} */
export const keys = {
  copied: null,
  stretchAbout: 'start',

  joinOfPicked() {
    const joins = new Set();
    for (const path of Object.keys(this.picked)) {
      const lane = this.lane(path);
      if (lane) for (const k of lane.keys) if (this.isPicked(path, k.t)) joins.add(k.join);
    }
    return joins.size === 1 ? [...joins][0] : '';
  },
  setJoin(join, more = {}) {
    const one = this.theKey(),
      lane = this.theLane();
    if (join === 'free' && one && lane) {
      // free handles start on the curve there is
      const i = lane.keys.indexOf(one),
        next = lane.keys[i + 1];
      if (next) {
        const c = this.curve(lane),
          dt = next.t - one.t,
          d = (x) => c.stored(c.at(one.t + dt * x));
        more = {
          handles: [
            0.333,
            +((d(0.02) - d(0)) / 0.02 / 3).toPrecision(6),
            0.667,
            +(-(d(1 - 1e-4) - d(0.98)) / 0.02 / 3).toPrecision(6),
          ],
          ...more,
        };
      }
    }
    this.edited({ op: 'join_keys', picked: this.pickedList(), join, ...more }, this.picked);
  },
  typedKey(what, text) {
    const key = this.theKey(),
      lane = this.theLane();
    if (!key) return;
    if (what === 't') {
      const f =
        /^\s*f?\s*(\d+)\s*f?\s*$/.test(text) && this.units === 'frames'
          ? (Number(text.match(/\d+/)[0]) - 1) / this.fps()
          : Number(text.replace(',', '.').replace(/s\s*$/, ''));
      if (!Number.isFinite(f)) {
        this.say(`A time is a number of ${this.units === 'frames' ? 'frames' : 'seconds'}, and “${text}” is none.`);
        return;
      }
      this.edited(
        {
          op: 'place_key',
          path: lane.path,
          t: key.t,
          to: +f.toFixed(9),
          value: key.v,
        },
        { [lane.path]: [+f.toFixed(9)] },
      );
      return;
    }
    this.setPickedNext(this.picked);
    this.send({ typed_key: { path: lane.path, t: key.t, text } }).then(() => {
      this.setPickedNext(null);
    });
  },
  timeOf(t) {
    return this.units === 'frames' ? String(+(t * this.fps() + 1).toFixed(2)) : t.toFixed(3) + ' s';
  },
  stretch(by, about) {
    return this.edited(
      {
        op: 'stretch_keys',
        picked: this.pickedList(),
        about: +about.toFixed(9),
        by: +by.toPrecision(9),
      },
      Object.fromEntries(
        Object.entries(this.picked).map(([p, ts]) => [p, ts.map((t) => +(about + (t - about) * by).toFixed(9))]),
      ),
    );
  },
  typedStretch(text) {
    const by = Number(text.replace(',', '.'));
    if (!(by > 0)) {
      this.say('A stretch is a factor above 0: 2 makes it twice as slow, 0.5 twice as fast.');
      return;
    }
    const ts = Object.values(this.picked).flat(),
      w = this.stretchAbout;
    this.stretch(
      by,
      w === 'playhead'
        ? this.t
        : w === 'end'
          ? Math.max(...ts)
          : w === 'middle'
            ? (Math.min(...ts) + Math.max(...ts)) / 2
            : Math.min(...ts),
    );
  },
  turnRound() {
    const ts = Object.values(this.picked).flat(),
      about = (Math.min(...ts) + Math.max(...ts)) / 2;
    this.edited(
      { op: 'mirror_keys', picked: this.pickedList(), about },
      Object.fromEntries(Object.entries(this.picked).map(([p, q]) => [p, q.map((t) => +(2 * about - t).toFixed(9))])),
    );
  },
  removeKeys() {
    this.edited({ op: 'remove_keys', picked: this.pickedList() }, {});
  },
  copyKeys() {
    if (!this.countPicked()) return;
    this.copied = this.pickedList();
    this.say('');
    this.setBusy(`copied ${this.pickedText()}`);
  },
  pasteKeys(onto) {
    if (!this.copied) {
      this.say('Copy some keys first: pick them, then ctrl C.');
      return;
    }
    const first = Math.min(...this.copied.flatMap((p) => p.times)),
      at = +(Math.round(this.t * this.fps()) / this.fps()).toFixed(9);
    this.edited(
      { op: 'copy_keys', picked: this.copied, at, ...(onto ? { onto } : {}) },
      Object.fromEntries(this.copied.map((p) => [onto || p.path, p.times.map((t) => +(at + t - first).toFixed(9))])),
    );
  },
  setBeyond(which, value) {
    this.command({ op: 'beyond', path: this.openLane, [which]: value });
  },
  pasteTarget() {
    const p = this.touched;
    return this.copied && this.copied.length === 1 && p && p !== this.copied[0].path ? p : '';
  },
};
