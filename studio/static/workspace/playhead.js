/* The instant that everything shows, and playing. */
import { timecode } from '../kit/timecode.js';
import { clamp, refs } from '../kit/dom.js';

/** @type {import('../types.js').Part} */
export const playhead = {
  units: localStorage.getItem('lw-units') || 'frames',
  win: null,
  range: null,
  t: 0,
  playing: false,
  slipTimer: 0,
  changesKey: localStorage.getItem('lw-changes-key') === '1',
  late: 0,
  passed: 0,
  pace: 1,
  looping: true,

  setWin(value) {
    this.win = value;
    return value;
  },
  setRange(value) {
    this.range = value;
    return value;
  },
  setTime(value) {
    this.t = value;
    return value;
  },
  setPlaying(value) {
    this.playing = value;
    return value;
  },
  clip() {
    return { a: 0, b: this.s.shot.seconds };
  },
  span() {
    return this.win || this.clip();
  },
  frame() {
    return clamp(Math.floor(this.t * this.fps() + 1e-6) + 1, 1, this.s.shot.frames);
  },
  fps() {
    return (
      { 23.976: 24000 / 1001, 29.97: 30000 / 1001, 59.94: 60000 / 1001 }[this.s.shot.fps] || Number(this.s.shot.fps)
    );
  },
  go(t) {
    this.t = clamp(t, 0, Math.max(0, this.s.shot.seconds - 1 / this.fps()));
    this.setCamera(null);
    this.sync();
  },
  sync() {
    this.drawPlayhead();
    this.drawWedgeNow();
    this.drawDrawingHead();
    this.drawMoved();
    this.showReady() || this.look();
    clearTimeout(this.slipTimer);
    if (!this.playing && this.s.lanes.length) this.slipTimer = setTimeout(() => this.slip(), 250);
  },
  toFrame(n) {
    this.go((clamp(n, 1, this.s.shot.frames) - 1) / this.fps() + 1e-6);
  },
  hourAt(t) {
    const c = this.s.day.clock,
      k = clamp(t / this.s.shot.seconds, 0, 1) * (c.length - 1),
      i = Math.min(Math.floor(k), c.length - 2);
    return new Date(Date.parse(this.s.day.start + 'Z') + 1000 * (c[i] + (c[i + 1] - c[i]) * (k - i)));
  },
  clockAt(t) {
    return this.hourAt(t).toISOString().slice(11, 16);
  },
  timeText() {
    if (this.units === 'seconds') return `${this.t.toFixed(2)} s of ${this.s.shot.seconds.toFixed(2)}`;
    return this.units === 'timecode'
      ? timecode(this.frame() - 1, this.s.shot.fps)
      : `frame ${this.frame()} of ${this.s.shot.frames}`;
  },
  nextUnits() {
    const all = ['frames', 'seconds', 'timecode'];
    this.units = all[(all.indexOf(this.units) + 1) % 3];
    localStorage.setItem('lw-units', this.units);
    this.drawTimeline();
  },
  toggleChangesKey() {
    this.changesKey = !this.changesKey;
    localStorage.setItem('lw-changes-key', this.changesKey ? '1' : '0');
  },
  bounds() {
    const f = this.fps();
    return this.range ? [(this.range[0] - 1) / f, this.range[1] / f] : [0, this.s.shot.seconds];
  },
  toggleLooping() {
    this.looping = !this.looping;
  },
  clearRange() {
    this.range = null;
    this.drawTimeline();
  },
  play() {
    if (this.playing) {
      this.playing = false;
      this.sync();
      return;
    }
    this.playing = true;
    this.late = this.passed = 0;
    this.setCamera(null);
    const [a, b] = this.bounds();
    if (this.t < a || this.t >= b - 1.5 / this.fps()) this.t = a;
    let start = performance.now() - (this.t * 1000) / this.pace,
      shown = this.frame(),
      pace = this.pace;
    const tick = (now) => {
      if (!this.playing) return;
      if (pace !== this.pace) {
        pace = this.pace;
        start = now - (this.t * 1000) / pace;
      }
      let t = ((now - start) / 1000) * pace;
      if (t >= b) {
        if (!this.looping) {
          this.playing = false;
          this.go(b - 1 / this.fps() + 1e-6);
          return;
        }
        const over = t - b;
        t = a + (over % Math.max(b - a, 1e-6));
        start = now - (t * 1000) / pace;
        shown = this.frame() - this.s.shot.frames;
      }
      this.t = Math.max(0, t);
      const n = this.frame();
      if (n !== shown) {
        const due = Math.max(1, Math.ceil((pace * this.fps()) / 60 - 1e-6)),
          step = shown < 0 ? 1 : n - shown; // a screen shows at most sixty a second
        this.passed += 1;
        if (step > due) this.late += step - due;
        shown = n;
        this.drawPlayhead();
        this.drawWedgeNow();
        this.drawDrawingHead();
        this.drawMoved();
        if (!this.showReady()) {
          if (Object.keys(this.frames).length) this.late += 1;
          this.look();
        }
        const c = refs.look;
        c.dataset.passed = this.passed;
        c.dataset.late = this.late;
      }
      requestAnimationFrame(tick);
    };
    requestAnimationFrame(tick);
  },
};
