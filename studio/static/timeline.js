/* The timeline: rulers, lanes and their curves, keys edited by hand, and playing what is ready. */
'use strict';

const JOINS = [
  ['step', 'holds, then jumps'],
  ['steps', 'in steps'],
  ['straight', 'straight'],
  ['quad_in', 'gently, starts slowly'],
  ['quad_out', 'gently, ends slowly'],
  ['quad_both', 'gently, both ends'],
  ['cubic_in', 'eased, starts slowly'],
  ['cubic_out', 'eased, ends slowly'],
  ['cubic_both', 'eased, both ends'],
  ['sine_in', 'as a sine, starts slowly'],
  ['sine_out', 'as a sine, ends slowly'],
  ['sine_both', 'as a sine, both ends'],
  ['smooth', 'smooth, never past its keys'],
  ['spline', 'a round spline'],
  ['bezier', 'eased by numbers'],
  ['free', 'free handles'],
];
const BEYOND_WAYS = [
  ['hold', 'holds'],
  ['straight_on', 'goes straight on'],
  ['cycle', 'comes round'],
  ['cycle_offset', 'comes round and goes on'],
  ['mirror', 'runs back and forth'],
];
const LANE = 22,
  OPEN = 168,
  EDGE = 10;
const near = (a, b) => Math.abs(a - b) < 2e-4;
const RECIPES = {
  turning: {
    name: 'constant turn',
    text: 'Turns all the time, before and after the clip too.',
    fields: [['turns', 'Turns in the clip', 1]],
  },
  swing: {
    name: 'to and fro',
    text: 'Swings about the value.',
    fields: [
      ['amount', 'To either side', 1],
      ['period', 'There and back, s', 2],
      ['phase', 'Starts at, share', 0],
      ['form', 'Form', 'round', ['round', 'straight', 'held']],
    ],
  },
  sway: {
    name: 'irregular sway',
    text: 'A few uneven keys, closed into a loop; they are ordinary keys afterwards.',
    fields: [
      ['amount', 'To either side', 1],
      ['period', 'Comes round in, s', 4],
      ['keys', 'Keys in a round', 6],
      ['seed', 'Seed', 1],
    ],
  },
  drift: {
    name: 'drift',
    text: 'Wanders slowly and smoothly.',
    term: 'wander',
    preset: { rough: 0 },
    fields: [
      ['amount', 'About how far', 1],
      ['per_second', 'Turns back a second', 0.15],
      ['seed', 'Seed', 1],
    ],
  },
  noise: {
    name: 'noise',
    text: 'Wanders quickly, and trembles.',
    term: 'wander',
    preset: {},
    fields: [
      ['amount', 'About how far', 1],
      ['per_second', 'Turns back a second', 2],
      ['rough', 'Rough, 0 to 1', 0.7],
      ['seed', 'Seed', 1],
    ],
  },
  flicker: {
    name: 'flicker',
    text: 'Light that does not burn evenly.',
    fields: [
      ['source', 'As', 'candle', ['candle', 'tube', 'lightning']],
      ['depth', 'Depth, 0 to 1', 0.5],
      ['seed', 'Seed', 1],
    ],
  },
  pulse: {
    name: 'pulse',
    text: 'A bump that comes again and again.',
    fields: [
      ['amount', 'Height', 1],
      ['period', 'Every, s', 2],
      ['start', 'First at, s', 0],
      ['rise', 'Rises in, s', 0.1],
      ['hold', 'Holds, s', 0.2],
      ['fall', 'Falls in, s', 0.5],
    ],
  },
  follow: {
    name: 'follow another value',
    text: 'Does what another value does, later and more or less.',
    fields: [
      ['path', 'Follows', ''],
      ['lag', 'Later by, s', 0.5],
      ['gain', 'Gain', 1],
    ],
  },
};

// what is drawn while something is dragged: plain objects, since watching thousands of keys costs more than
// drawing them
const dragged = {
  held: null,
  times: null,
  scale: null,
  sets: {},
  a: 0,
  per: 1,
};
const keyAt = (k, t, v) => ({
  t,
  v,
  n: k.n,
  join: k.join,
  bezier: k.bezier,
  handles: k.handles,
  steps: k.steps,
  jump: k.jump,
});

const timelinePart = {
  win: null,
  tall: Number(localStorage.getItem('lw-tall') || 0),
  openLane: '',
  picked: {},
  changesKey: localStorage.getItem('lw-changes-key') === '1',
  ask: null,
  copied: null,
  keep: localStorage.getItem('lw-keep') || 'seconds',
  pace: 1,
  looping: true,
  range: null,
  frames: {},
  blobs: new Map(),
  bitmaps: new Map(),
  unpacking: new Set(),
  filling: false,
  rehearsalSize: localStorage.getItem('lw-size') || '384x216',
  late: 0,
  passed: 0,
  valueZoom: null,
  mover: null,
  numbers: null,
  seamSaid: '',
  planSaid: '',
  meetSaid: '',
  amounts: null,

  // -- time -------------------------------------------------------------------------------------------
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
    this.cam = null;
    this.sync();
  },
  sync() {
    this.drawPlayhead();
    this.drawWedge();
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
      ? this.codeOf(this.frame() - 1)
      : `frame ${this.frame()} of ${this.s.shot.frames}`;
  },
  // SMPTE ST 12-1; the two rates that are not whole count by dropping labels
  codeOf(n) {
    const nominal = Math.round(this.fps()),
      two = (v) => String(v).padStart(2, '0'),
      drop = ['29.97', '59.94'].includes(this.s.shot.fps);
    if (drop) {
      const skipped = nominal / 15,
        minute = nominal * 60 - skipped,
        ten = minute * 10 + skipped,
        tens = Math.floor(n / ten),
        rest = n % ten;
      n +=
        skipped * 9 * tens + (rest >= nominal * 60 ? skipped * (1 + Math.floor((rest - nominal * 60) / minute)) : 0);
    }
    const sec = Math.floor(n / nominal);
    const clock = [Math.floor(sec / 3600), Math.floor(sec / 60) % 60, sec % 60].map(two).join(':');
    return `${clock}${drop ? ';' : ':'}${two(n % nominal)}`;
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

  // -- playing ----------------------------------------------------------------------------------------
  bounds() {
    const f = this.fps();
    return this.range ? [(this.range[0] - 1) / f, this.range[1] / f] : [0, this.s.shot.seconds];
  },
  play() {
    if (this.playing) {
      this.playing = false;
      this.sync();
      return;
    }
    this.playing = true;
    this.late = this.passed = 0;
    this.cam = null;
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
        this.drawWedge();
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
  // What of the shot, as it is now, lies ready: by the digest of what each frame depends on, so an edit
  // leaves what it does not touch.
  async refreshReady() {
    const mine = (this.readyAsked = (this.readyAsked || 0) + 1);
    const reply = await fetch(this.url(`ready/?shot=${this.s.shot.id}&size=${this.rehearsalSize}`)).catch(() => null);
    if (!reply || !reply.ok || mine !== this.readyAsked) return;
    const data = await reply.json();
    if (data.rev !== this.s.rev) return;
    this.frames = data.frames;
    const kept = new Set(Object.values(data.frames));
    for (const key of this.blobs.keys()) if (!kept.has(key) && this.blobs.size > 600) this.blobs.delete(key);
    this.drawReady();
    this.fetchAhead();
    const count = Object.keys(data.frames).length,
      left = data.seconds_left ? `, ${this.words(data.seconds_left)} left` : '';
    this.rehearsing = data.running;
    if (this.filling)
      this.busy = data.running
        ? `rehearsal ${count} of ${this.s.shot.frames}${left}`
        : data.say
          ? `rehearsal: ${data.say}`
          : count === this.s.shot.frames
            ? 'rehearsal ready: press space'
            : '';
    if (data.running || (this.filling && count < this.s.shot.frames && !data.say)) {
      clearTimeout(this.readyTimer);
      this.readyTimer = setTimeout(() => this.refreshReady(), 700);
    }
  },
  async rehearse(again = false) {
    if (!again && this.filling) {
      this.filling = false;
      this.busy = '';
      return;
    }
    const first = !this.filling;
    this.filling = true;
    const body = new FormData();
    body.set('shot', this.s.shot.id);
    body.set('from', this.frame());
    body.set('size', this.rehearsalSize);
    const reply = await fetch(this.url('rehearse/'), {
      method: 'POST',
      headers: { 'X-CSRFToken': cookie('csrftoken') },
      body,
    });
    const data = await reply.json().catch(() => ({ error: 'Your session has ended: sign in again.' }));
    if (!reply.ok) {
      this.filling = false;
      this.say(data.error);
      return;
    }
    if (first) this.cam = null;
    this.refreshReady();
  },
  setRehearsalSize(size) {
    this.rehearsalSize = size;
    localStorage.setItem('lw-size', size);
    this.frames = {};
    this.bitmaps.clear();
    this.filling ? this.rehearse(true) : this.refreshReady();
  },
  order() {
    const n = this.frame(),
      all = Object.keys(this.frames)
        .map(Number)
        .sort((a, b) => a - b);
    return [...all.filter((k) => k >= n), ...all.filter((k) => k < n)];
  },
  async fetchAhead() {
    if (this.fetching) return;
    this.fetching = true;
    const hand = async () => {
      for (;;) {
        const n = this.order().find((k) => !this.blobs.has(this.frames[k]));
        if (n === undefined) return;
        const key = this.frames[n];
        this.blobs.set(key, null);
        const reply = await fetch(this.url(`shown/${key}.jpg`)).catch(() => null);
        if (reply && reply.ok) this.blobs.set(key, await reply.blob());
        else {
          this.blobs.delete(key);
          return;
        }
        this.drawReady();
      }
    };
    await Promise.all([hand(), hand(), hand()]);
    this.fetching = false;
    this.decodeAhead();
  },
  // pictures are unpacked a little ahead of the playhead, so that none waits when its turn comes
  decodeAhead() {
    if (this.unpacking.size >= 2) return;
    const n = this.frame(),
      total = this.s.shot.frames,
      ahead = Math.min(36, total);
    const wanted = [];
    for (let k = 0; k < ahead; k++) {
      const key = this.frames[((n - 1 + k) % total) + 1];
      if (key && this.blobs.get(key)) wanted.push(key);
    }
    const next = wanted.find((key) => !this.bitmaps.has(key) && !this.unpacking.has(key));
    if (!next) return;
    this.unpacking.add(next);
    createImageBitmap(this.blobs.get(next))
      .then((bitmap) => {
        this.bitmaps.set(next, bitmap);
        this.unpacking.delete(next);
        const keep = new Set(wanted);
        for (const [key, old] of this.bitmaps)
          if (this.bitmaps.size > 72 && !keep.has(key)) {
            old.close();
            this.bitmaps.delete(key);
          }
        this.decodeAhead();
      })
      .catch(() => {
        this.unpacking.delete(next);
        this.blobs.delete(next);
      });
    this.decodeAhead();
  },
  showReady() {
    if (this.cam || this.noise) return false;
    const bitmap = this.bitmaps.get(this.frames[this.frame()]);
    this.decodeAhead();
    if (!bitmap || (!this.playing && !this.filling)) return false;
    const canvas = refs.look;
    canvas.getContext('2d').drawImage(bitmap, 0, 0, canvas.width, canvas.height);
    this.lookInfo = `rehearsal, frame ${this.frame()}${this.late ? `, ${this.late} late` : ''}`;
    canvas.dataset.rehearsal = this.frame();
    if (!this.playing) {
      clearTimeout(this.idleTimer);
      this.idleTimer = setTimeout(() => {
        if (!this.playing) this.look();
      }, 600);
    }
    return true;
  },

  // -- rulers -----------------------------------------------------------------------------------------
  // from times to places on the ruler and back; measured once a drawing, since asking the page its width
  // thousands of times is what drawing costs
  measure() {
    const w = this.span(),
      W = refs.timeline.clientWidth - 2 * EDGE;
    dragged.a = w.a;
    dragged.per = W / (w.b - w.a);
  },
  lineX(t) {
    return EDGE + (t - dragged.a) * dragged.per;
  },
  lineT(x) {
    return dragged.a + (x - EDGE) / dragged.per;
  },
  drawTimeline() {
    const svg = refs.timeline;
    if (!svg || !svg.clientWidth) return;
    this.measure();
    const W = svg.clientWidth,
      H = svg.clientHeight,
      s = this.s,
      T = s.shot.seconds,
      f = this.fps(),
      w = this.span();
    svg.setAttribute('viewBox', `0 0 ${W} ${H}`);
    svg.replaceChildren();
    const per = (W - 2 * EDGE) / (w.b - w.a),
      steps =
        this.units === 'seconds'
          ? [0.05, 0.1, 0.25, 0.5, 1, 2, 5, 10, 30, 60, 120, 300]
          : [1, 2, 5, 10, 20, 24, 48, 96, 240, 480, 960, 2400, 7200].map((n) => n / f),
      step = steps.find((v) => v * per > (this.units === 'timecode' ? 92 : 56)) || T;
    svg.append(
      el('rect', {
        x: this.lineX(0),
        y: 0,
        width: Math.max(0, this.lineX(T) - this.lineX(0)),
        height: 20,
        fill: 'var(--seat)',
        'fill-opacity': 0.5,
      }),
    );
    for (let k = Math.ceil(w.a / step - 1e-9); k * step < w.b + 1e-9; k++) {
      const t = k * step,
        x = this.lineX(t),
        label =
          this.units === 'seconds'
            ? t.toFixed(step < 1 ? 2 : 0)
            : this.units === 'timecode'
              ? t < 0
                ? ''
                : this.codeOf(Math.round(t * f))
              : Math.round(t * f) + 1;
      svg.append(el('line', { x1: x, x2: x, y1: 14, y2: 20, stroke: 'var(--faint)' }));
      if (x < W - 8 - 6.4 * String(label).length)
        svg.append(
          el(
            'text',
            {
              x: x + 3,
              y: 12,
              'font-size': 10.5,
              fill: t < -1e-9 || t >= T ? 'var(--faint)' : 'var(--ink)',
              'font-family': 'IBM Plex Mono',
            },
            label,
          ),
        );
    }
    const n = s.day.moments.length;
    s.day.moments.forEach((m, i) => {
      const x = this.lineX((i / n) * T),
        x2 = this.lineX(((i + 1) / n) * T);
      if (x2 > 0 && x < W)
        svg.append(
          el('rect', {
            x,
            y: 21,
            width: x2 - x + 0.6,
            height: 17,
            fill: m.colour,
          }),
        );
    });
    for (const k of [0, 0.25, 0.5, 0.75]) {
      const t = w.a + k * (w.b - w.a),
        at = clamp(t, 0, T - 1e-6),
        m = s.day.moments[Math.min(n - 1, Math.floor((at / T) * n))];
      if (t >= -1e-9 && t < T)
        svg.append(
          el(
            'text',
            {
              x: this.lineX(t) + 5,
              y: 34,
              'font-size': 10.5,
              fill: m.elevation > -1 ? '#26302f' : '#ffffff',
              'font-family': 'IBM Plex Mono',
            },
            this.clockAt(t),
          ),
        );
    }
    for (const m of s.day.marks) {
      const x = this.lineX(m.t),
        right = x > W * 0.85;
      svg.append(
        el('line', {
          x1: x,
          x2: x,
          y1: 19,
          y2: 40,
          stroke: '#26302f',
          'stroke-dasharray': '2 2',
          'stroke-width': 1.5,
        }),
        el('rect', {
          x: right ? x - 90 : x + 3,
          y: 23,
          width: 87,
          height: 13,
          fill: '#fbf7ee',
          'fill-opacity': 0.85,
          rx: 2,
        }),
        el(
          'text',
          {
            x: right ? x - 86 : x + 7,
            y: 33,
            'font-size': 10.5,
            fill: '#26302f',
            'font-family': 'IBM Plex Mono',
          },
          m.text,
        ),
      );
    }
    this.readyBar = svg.appendChild(el('g'));
    if (this.range)
      svg.append(
        el('path', {
          d: `M${this.lineX((this.range[0] - 1) / f)} 44V17H${this.lineX(this.range[1] / f)}V44`,
          fill: 'var(--marsh)',
          'fill-opacity': 0.12,
          stroke: 'var(--marsh)',
          'stroke-width': 1.5,
          'data-range': 1,
        }),
      );
    for (const f of this.wrong()) {
      const x = this.lineX(f.from_s);
      svg.append(
        el(
          'path',
          {
            d: `M${x} 20.5h${Math.max(3, this.lineX(f.to_s) - x)}`,
            stroke: 'var(--brick)',
            'stroke-width': 3,
            'data-fault': f.kind,
          },
          el('title', {}, f.text),
        ),
      );
    }
    for (const st of s.route.stations)
      if (st.t !== null && st.t >= w.a && st.t <= w.b)
        svg.append(
          el('path', {
            d: `M${this.lineX(Math.min(st.t, T)) - 4} 44h8l-4 4z`,
            fill: 'var(--ink)',
          }),
        );
    this.playline = svg.appendChild(
      el(
        'g',
        {},
        el('line', {
          y1: 2,
          y2: H,
          stroke: 'var(--amber)',
          'stroke-width': 1.7,
        }),
        el('path', { d: 'M-6 1h12l-6 8z', fill: 'var(--amber)' }),
      ),
    );
    this.drawReady();
    this.drawPlayhead();
    this.drawLanes();
  },
  drawPlayhead() {
    if (this.playline) this.playline.setAttribute('transform', `translate(${this.lineX(this.t)} 0)`);
    if (refs.lanehead) refs.lanehead.style.left = `${this.lineX(this.t) - 0.8}px`;
  },
  drawReady() {
    if (!this.readyBar) return;
    this.readyBar.replaceChildren();
    const f = this.fps();
    let d = '',
      half = '';
    for (const n of Object.keys(this.frames).map(Number)) {
      const x = this.lineX((n - 1) / f),
        w = Math.max(0.8, this.lineX(n / f) - x + 0.4),
        part = `M${x.toFixed(1)} 39.5h${w.toFixed(1)}v3.5h-${w.toFixed(1)}z`;
      if (this.blobs.get(this.frames[n])) d += part;
      else half += part;
    }
    this.readyBar.append(
      el('path', { d: half, fill: 'var(--marsh)', 'fill-opacity': 0.4 }),
      el('path', {
        d,
        fill: 'var(--marsh)',
        'data-ready': Object.keys(this.frames).length,
      }),
    );
  },
  scrub(e) {
    if (e.button) return;
    const r = refs.timeline.getBoundingClientRect(),
      T = this.s.shot.seconds,
      f = this.fps(),
      at = (m) => Math.floor(clamp(this.lineT(m.clientX - r.left), 0, T) * f + 1e-6);
    if (e.shiftKey) {
      // a range to play and to render
      const from = Math.min(at(e), this.s.shot.frames - 1);
      const move = (m) => {
        const to = Math.min(at(m), this.s.shot.frames - 1);
        this.range = [Math.min(from, to) + 1, Math.max(from, to) + 1];
        this.drawTimeline();
      };
      const up = () => {
        window.removeEventListener('pointermove', move);
        window.removeEventListener('pointerup', up);
        if (this.range && this.range[0] === this.range[1]) this.range = null;
        this.drawTimeline();
      };
      window.addEventListener('pointermove', move);
      window.addEventListener('pointerup', up);
      return;
    }
    const to = (m) => this.go(at(m) / f + 1e-6);
    this.playing = false;
    to(e);
    const up = () => {
      window.removeEventListener('pointermove', to);
      window.removeEventListener('pointerup', up);
    };
    window.addEventListener('pointermove', to);
    window.addEventListener('pointerup', up);
  },
  wheelTime(e) {
    e.preventDefault();
    const w = this.span(),
      T = this.s.shot.seconds,
      x = e.clientX - refs.timeline.getBoundingClientRect().left,
      at = this.lineT(x);
    if (e.shiftKey) {
      const by = Math.sign(e.deltaY || e.deltaX) * (w.b - w.a) * 0.1;
      this.win = { a: w.a + by, b: w.b + by };
    } else {
      const k = e.deltaY > 0 ? 1.25 : 0.8,
        size = clamp((w.b - w.a) * k, 3 / this.fps(), 6 * T + 60),
        share = (at - w.a) / (w.b - w.a);
      this.win = { a: at - share * size, b: at + (1 - share) * size };
    }
    this.drawTimeline();
  },
  fitTime(all) {
    this.win = null;
    this.valueZoom = null;
    if (all) {
      const ts = this.s.lanes.flatMap((l) => l.keys.map((k) => k.t)),
        a = Math.min(0, ...ts),
        b = Math.max(this.s.shot.seconds, ...ts),
        pad = (b - a) * 0.02;
      this.win = { a: a - pad, b: b + pad };
    }
    this.drawTimeline();
  },
  framePicked() {
    const ts = Object.values(this.picked).flat();
    if (!ts.length) {
      this.fitTime(false);
      return;
    }
    const a = Math.min(...ts),
      b = Math.max(...ts),
      pad = Math.max((b - a) * 0.15, 4 / this.fps());
    this.win = { a: a - pad, b: b + pad };
    const lane = this.lane(this.openLane);
    if (lane && this.picked[lane.path] && lane.kind === 'number') {
      const vs = lane.keys.filter((k) => this.picked[lane.path].some((t) => near(t, k.t))).map((k) => k.v),
        lo = Math.min(...vs),
        hi = Math.max(...vs),
        room = (hi - lo || Math.abs(hi) || 1) * 0.25;
      this.valueZoom = [lo - room, hi + room];
    }
    this.drawTimeline();
  },
  dragTall(e) {
    const y0 = e.clientY,
      h0 = this.height();
    const move = (m) => {
      this.tall = clamp(h0 - (m.clientY - y0), 90, 520);
      this.$nextTick(() => this.drawTimeline());
    };
    const up = () => {
      window.removeEventListener('pointermove', move);
      window.removeEventListener('pointerup', up);
      localStorage.setItem('lw-tall', this.tall);
      this.drawDrawing();
      this.drawChart();
    };
    window.addEventListener('pointermove', move);
    window.addEventListener('pointerup', up);
    e.preventDefault();
  },
  // as tall as its lanes need, up to three rows with one free to begin a band in, until somebody chooses
  height() {
    const tall = this.tall || 80 + Math.min(this.s.lanes.length + 1, 3) * (LANE + 1) + 4;
    return this.openLane ? Math.max(tall, 80 + Math.min(OPEN + 3 * LANE, this.lanesHigh())) : tall;
  },

  // -- lanes ------------------------------------------------------------------------------------------
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
  drawSoon() {
    if (this.owed) return;
    this.owed = true;
    requestAnimationFrame(() => {
      this.owed = false;
      this.drawLanes();
    });
  },
  drawLanes() {
    const canvas = refs.lanecanvas,
      box = refs.lanes;
    if (!canvas || !box || !canvas.clientWidth) return;
    this.measure();
    const W = canvas.clientWidth,
      H = box.clientHeight,
      k = window.devicePixelRatio || 1;
    if (canvas.width !== Math.round(W * k) || canvas.height !== Math.round(H * k)) {
      canvas.width = Math.round(W * k);
      canvas.height = Math.round(H * k);
    }
    canvas.style.height = `${H}px`;
    if (this.laneHigh !== H) this.laneHigh = H;
    const g = canvas.getContext('2d'),
      c = this.palette(),
      top = box.scrollTop,
      T = this.s.shot.seconds;
    g.setTransform(k, 0, 0, k, 0, 0);
    g.clearRect(0, 0, W, H);
    g.font = "10.5px 'IBM Plex Mono'";
    g.lineWidth = 1;
    const x0 = this.lineX(0),
      x1 = this.lineX(T);
    g.fillStyle = c.seat;
    g.globalAlpha = 0.75;
    if (x0 > 0) g.fillRect(0, 0, x0, H);
    if (x1 < W) g.fillRect(x1, 0, W - x1, H);
    g.globalAlpha = 1;
    this.grips = [];
    for (const row of this.seenRows()) {
      const y = row.y - top;
      g.strokeStyle = c.rule;
      g.beginPath();
      g.moveTo(0, y + row.high - 0.5);
      g.lineTo(W, y + row.high - 0.5);
      g.stroke();
      if (row.high > LANE && row.lane.kind === 'number') this.drawOpen(g, c, row, y, W);
      else this.drawPins(g, c, row, y, W);
    }
    if (this.band) {
      g.fillStyle = c.marsh;
      g.globalAlpha = 0.15;
      g.fillRect(this.band[0], this.band[1], this.band[2] - this.band[0], this.band[3] - this.band[1]);
      g.globalAlpha = 1;
    }
    this.drawBracket(g, c, W);
    canvas.dataset.drawn = Number(canvas.dataset.drawn || 0) + 1;
    this.drawPlayhead();
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
  // a key's head tells its way on: a notch holds, a square is straight, a circle is eased, a lozenge is a
  // spline, a ring has free handles
  drawHead(g, c, key, x, y, on) {
    g.beginPath();
    const j = key.join;
    if (j === 'step' || j === 'steps') {
      g.moveTo(x - 4, y + 4);
      g.lineTo(x - 4, y - 4);
      g.lineTo(x + 4, y - 4);
      g.lineTo(x + 4, y);
      g.lineTo(x, y);
      g.lineTo(x, y + 4);
      g.closePath();
    } else if (j === 'straight') g.rect(x - 3.6, y - 3.6, 7.2, 7.2);
    else if (j === 'smooth' || j === 'spline') {
      g.moveTo(x, y - 5);
      g.lineTo(x + 5, y);
      g.lineTo(x, y + 5);
      g.lineTo(x - 5, y);
      g.closePath();
    } else g.arc(x, y, 4.2, 0, 7);
    g.fillStyle = key.v && typeof key.v === 'string' && key.v[0] === '#' ? key.v : on ? c.fill : c.sheet;
    g.fill();
    g.lineWidth = on ? 2 : 1.2;
    g.strokeStyle = on ? c.amber : c.ink;
    g.stroke();
    if (j === 'free' || j === 'bezier') {
      g.beginPath();
      g.arc(x, y, 1.4, 0, 7);
      g.stroke();
    }
    g.lineWidth = 1;
  },
  keysOf(lane) {
    return (dragged.held && dragged.held[lane.path]) || lane.keys;
  },
  drawPins(g, c, row, y, W) {
    const keys = this.keysOf(row.lane),
      base = y + row.high - 3;
    const dense = keys.length > 1 && (this.lineX(keys[keys.length - 1].t) - this.lineX(keys[0].t)) / keys.length < 6;
    g.strokeStyle = c.ink;
    let last = -9;
    for (const key of keys) {
      const x = this.lineX(key.t);
      if (x < -8 || x > W + 8) continue;
      const on = this.isPicked(row.lane.path, key.t);
      if (dense) {
        if (x - last < 1) continue;
        last = x;
        g.globalAlpha = on ? 1 : 0.55;
        g.strokeStyle = on ? c.amber : c.ink;
        g.beginPath();
        g.moveTo(x, base);
        g.lineTo(x, base - (on ? 14 : 10));
        g.stroke();
        g.globalAlpha = 1;
        continue;
      }
      g.beginPath();
      g.moveTo(x, base);
      g.lineTo(x, y + 10);
      g.stroke();
      this.drawHead(g, c, key, x, y + 8, on);
    }
    if (row.lane.kind === 'colour' && keys.length) {
      g.globalAlpha = 0.8;
      const grad = g.createLinearGradient(this.lineX(keys[0].t), 0, this.lineX(keys[keys.length - 1].t) + 0.1, 0);
      const a = keys[0].t,
        b = keys[keys.length - 1].t || 1;
      for (const key of keys) grad.addColorStop(clamp((key.t - a) / (b - a || 1), 0, 1), key.v);
      g.fillStyle = grad;
      g.fillRect(this.lineX(a), y + row.high - 3, this.lineX(b) - this.lineX(a), 3);
      g.globalAlpha = 1;
    }
  },
  // the scale of an open lane: value to height and back
  scale(row, y) {
    const lane = row.lane,
      curve = this.curve(lane),
      w = this.span(),
      ratio = lane.blend === 'ratio',
      down = (v) => (ratio ? Math.log(Math.max(v, 1e-12)) : v),
      up = (v) => (ratio ? Math.exp(v) : v);
    let range = this.valueZoom && [
      down(this.valueZoom[0] > 0 || !ratio ? this.valueZoom[0] : 1e-6),
      down(this.valueZoom[1]),
    ];
    if (!range && dragged.scale) range = dragged.scale;
    if (!range) {
      let lo = Infinity,
        hi = -Infinity;
      for (let i = 0; i <= 160; i++) {
        const v = down(curve.at(w.a + ((w.b - w.a) * i) / 160));
        lo = Math.min(lo, v);
        hi = Math.max(hi, v);
      }
      if (lane.samples)
        lane.samples.forEach((v, i) => {
          const t = lane.from + ((lane.to - lane.from) * i) / (lane.samples.length - 1);
          if (t >= w.a && t <= w.b) {
            lo = Math.min(lo, down(v));
            hi = Math.max(hi, down(v));
          }
        });
      for (const key of this.keysOf(lane))
        if (key.t >= w.a && key.t <= w.b) {
          lo = Math.min(lo, down(key.v));
          hi = Math.max(hi, down(key.v));
          if (key.join === 'free') {
            lo = Math.min(lo, down(key.v) + key.handles[1]);
            hi = Math.max(hi, down(key.v) + key.handles[1]);
          }
        }
      if (!(hi - lo > 1e-9 * Math.max(1, Math.abs(hi)))) {
        const pad = Math.abs(hi) * 0.1 || 1;
        lo -= pad;
        hi += pad;
      }
      const pad = (hi - lo) * 0.14;
      range = [lo - pad, hi + pad];
    }
    const y0 = y + 14,
      y1 = y + row.high - 12;
    return {
      range,
      Y: (v) => y1 - ((down(v) - range[0]) / (range[1] - range[0])) * (y1 - y0),
      V: (py) => up(range[0] + ((y1 - py) / (y1 - y0)) * (range[1] - range[0])),
      S: (py) => range[0] + ((y1 - py) / (y1 - y0)) * (range[1] - range[0]),
      down,
      up,
      y0,
      y1,
    };
  },
  drawOpen(g, c, row, y, W) {
    const lane = row.lane,
      curve = this.curve(lane),
      sc = this.scale(row, y),
      keys = this.keysOf(lane);
    row.scale = sc;
    this.openScale = sc;
    this.openY = y;
    g.fillStyle = c.sheet;
    g.fillRect(0, y, W, row.high - 1);
    const x0 = this.lineX(0),
      x1 = this.lineX(this.s.shot.seconds);
    g.fillStyle = c.seat;
    g.globalAlpha = 0.6;
    if (x0 > 0) g.fillRect(0, y, x0, row.high - 1);
    if (x1 < W) g.fillRect(x1, y, W - x1, row.high - 1);
    g.globalAlpha = 1;
    g.save();
    g.beginPath();
    g.rect(0, y, W, row.high - 1);
    g.clip();
    // gridlines at round values
    const lo = sc.up(sc.range[0]),
      hi = sc.up(sc.range[1]),
      raw = (hi - lo) / 4,
      pow = 10 ** Math.floor(Math.log10(Math.max(raw, 1e-12))),
      tick = [1, 2, 5, 10].map((m) => m * pow).find((m) => m >= raw);
    g.strokeStyle = c.rule;
    g.fillStyle = c.faint;
    const marks =
      lane.blend === 'ratio'
        ? Array.from({ length: 5 }, (_, i) => sc.up(sc.range[0] + ((sc.range[1] - sc.range[0]) * (i + 0.5)) / 5)).map(
            (v) => +v.toPrecision(2),
          )
        : Array.from({ length: 12 }, (_, i) => (Math.ceil(lo / tick) + i) * tick).filter((v) => v < hi);
    let lastY = 1e9;
    for (const v of marks) {
      const py = sc.Y(v);
      if (Math.abs(lastY - py) < 14) continue;
      lastY = py;
      g.beginPath();
      g.moveTo(0, py);
      g.lineTo(W, py);
      g.stroke();
      g.fillText(this.number(+v.toPrecision(6), lane.unit), 3, py - 2);
    }
    const path = (f, from, to) => {
      g.beginPath();
      let begun = false;
      for (let x = Math.max(0, from); x <= Math.min(W, to); x += keys.length > 300 ? 2 : 1) {
        const py = f(this.lineT(x));
        if (Number.isFinite(py)) {
          begun ? g.lineTo(x, py) : g.moveTo(x, py);
          begun = true;
        }
      }
      g.stroke();
    };
    // how fast it changes, on a scale of its own
    const h = (this.span().b - this.span().a) / W,
      speed = (t) => (curve.at(t + h / 2) - curve.at(t - h / 2)) / h;
    let fastest = 1e-9;
    for (let x = 0; x < W; x += 4) {
      const s = Math.abs(speed(this.lineT(x)));
      if (s > fastest && s < 1e12) fastest = s;
    }
    const yMid = (sc.y0 + sc.y1) / 2,
      half = (sc.y1 - sc.y0) / 2;
    if (fastest > 1e-7 * Math.max(1e-6, Math.abs(sc.up(sc.range[1])))) {
      g.strokeStyle = c.amber;
      g.globalAlpha = 0.55;
      if (keys.length <= 300) g.setLineDash([4, 3]);
      path((t) => yMid - (speed(t) / fastest) * half * 0.9, 0, W);
      g.setLineDash([]);
      g.globalAlpha = 1;
      g.fillStyle = c.amber;
      g.fillText(
        `speed, up to ${this.number(+fastest.toPrecision(3), lane.unit === 'f/' ? '' : lane.unit)}/s`,
        W - 190,
        y + 11,
      );
    }
    // ghosts before the first key and after the last
    const xa = this.lineX(curve.first),
      xb = this.lineX(curve.last);
    g.strokeStyle = c.ink;
    g.globalAlpha = 0.45;
    g.setLineDash([2, 3]);
    g.lineWidth = 1.4;
    path((t) => sc.Y(curve.at(t)), 0, Math.min(xa, W));
    path((t) => sc.Y(curve.at(t)), xb, W);
    g.setLineDash([]);
    g.globalAlpha = 1;
    g.lineWidth = keys.length <= 300 ? 1.8 : 1;
    path((t) => sc.Y(curve.at(t)), xa, xb);
    if (lane.samples && !(dragged.held && dragged.held[lane.path])) {
      // what comes of it with its small motions
      g.strokeStyle = c.tide;
      g.lineWidth = 1.2;
      g.beginPath();
      lane.samples.forEach((v, i) => {
        const x = this.lineX(lane.from + ((lane.to - lane.from) * i) / (lane.samples.length - 1)),
          py = sc.Y(v);
        i ? g.lineTo(x, py) : g.moveTo(x, py);
      });
      g.stroke();
    }
    g.lineWidth = 1;
    let lastMark = -1;
    keys.forEach((key, i) => {
      const x = this.lineX(key.t),
        py = sc.Y(key.v),
        next = keys[i + 1];
      if (
        keys.length <= 300 &&
        key.join === 'free' &&
        next &&
        (this.isPicked(lane.path, key.t) || this.isPicked(lane.path, next.t))
      )
        this.drawHandles(g, c, lane, sc, key, next, 'handles');
      if (keys.length <= 300 && key.join === 'bezier' && next && this.isPicked(lane.path, key.t))
        this.drawHandles(g, c, lane, sc, key, next, 'bezier');
      if (x < -8 || x > W + 8) return;
      if (keys.length <= 300) {
        this.drawHead(g, c, key, x, py, this.isPicked(lane.path, key.t));
        return;
      }
      const mark = Math.round(x) * 512 + Math.round(py);
      if (mark === lastMark) return;
      lastMark = mark;
      g.fillStyle = this.isPicked(lane.path, key.t) ? c.amber : c.ink;
      g.fillRect(Math.round(x) - 1, Math.round(py) - 1, 3, 3); // of many keys only marks can be told apart
    });
    g.restore();
  },
  drawHandles(g, c, lane, sc, key, next, kind) {
    const [x1, d1, x2, d2] = key[kind],
      a = sc.down(key.v),
      b = sc.down(next.v),
      dt = next.t - key.t;
    const ends =
      kind === 'handles'
        ? [
            [x1, a + d1, key.t, a, 0],
            [x2, b + d2, next.t, b, 2],
          ]
        : [
            [x1, a + d1 * (b - a), key.t, a, 0],
            [x2, a + d2 * (b - a), next.t, b, 2],
          ];
    for (const [share, v, t, from, at] of ends) {
      const hx = this.lineX(key.t + share * dt),
        hy = sc.Y(sc.up(v));
      g.strokeStyle = c.marsh;
      g.beginPath();
      g.moveTo(this.lineX(t), sc.Y(sc.up(from)));
      g.lineTo(hx, hy);
      g.stroke();
      g.fillStyle = c.sheet;
      g.beginPath();
      g.arc(hx, hy, 3.6, 0, 7);
      g.fill();
      g.stroke();
      this.grips.push({ x: hx, y: hy, lane, key, next, kind, at });
    }
  },
  // over several picked keys lies a bracket: its ends stretch and squeeze them
  drawBracket(g, c, W) {
    this.bracket = null;
    let from = Infinity,
      to = -Infinity,
      count = 0;
    for (const [path, set] of Object.entries(dragged.sets))
      for (const q of (dragged.times && dragged.times[path]) || set) {
        from = Math.min(from, q / 1e4);
        to = Math.max(to, q / 1e4);
        count += 1;
      }
    if (count < 2) return;
    const a = this.lineX(from),
      b = this.lineX(to);
    if (b - a < 8) return;
    g.strokeStyle = c.marsh;
    g.lineWidth = 2;
    g.beginPath();
    g.moveTo(a, 1);
    g.lineTo(b, 1);
    g.stroke();
    g.lineWidth = 1;
    g.fillStyle = c.marsh;
    g.fillRect(a - 4, 0, 8, 5);
    g.fillRect(b - 4, 0, 8, 5);
    this.bracket = { a, b, from, to };
  },
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
    const up = (m) => {
      window.removeEventListener('pointermove', move);
      window.removeEventListener('pointerup', up);
      this.band = null;
      if (!moved) {
        this.setPicked({});
        this.go(Math.floor(clamp(this.lineT(x), 0, this.s.shot.seconds) * this.fps() + 1e-6) / this.fps() + 1e-6);
      }
      this.drawSoon();
    };
    window.addEventListener('pointermove', move);
    window.addEventListener('pointerup', up);
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
  pickedList() {
    return Object.entries(this.picked).map(([path, times]) => ({
      path,
      times,
    }));
  },
  // keys that were moved stay picked where they went
  async edited(c, times) {
    this.pickedNext = times;
    const ok = await this.command(c);
    this.pickedNext = null;
    this.release();
    return ok;
  },
  dragKeys(e, lane, key) {
    const r = refs.lanecanvas.getBoundingClientRect(),
      x0 = e.clientX,
      y0 = e.clientY,
      open = this.openLane === lane.path && lane.kind === 'number',
      sc = open ? this.openScale : null,
      all = Object.values(this.picked).flat();
    let by = 0,
      rise = 0,
      moved = false,
      factor = 1;
    if (open && sc) dragged.scale = sc.range;
    const shown = new Map();
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
        factor = lane.blend === 'ratio' ? Math.exp(to - from) : 1;
      }
      rise = +rise.toPrecision(4);
      this.hold((k, l) => keyAt(k, k.t + by, l.kind === 'number' && rise ? k.v + rise : k.v));
      const risen = rise ? `, ${this.number(key.v + rise, lane.unit)}` : '';
      this.readout = `${by >= 0 ? '+' : ''}${by.toFixed(3)} s${risen}`;
      this.drawSoon();
    };
    const up = () => {
      window.removeEventListener('pointermove', move);
      window.removeEventListener('pointerup', up);
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
    window.addEventListener('pointermove', move);
    window.addEventListener('pointerup', up);
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
      window.removeEventListener('pointermove', move);
      window.removeEventListener('pointerup', up);
      if (Math.abs(by - 1) < 1e-6) {
        this.release();
        return;
      }
      this.stretch(by, about);
    };
    window.addEventListener('pointermove', move);
    window.addEventListener('pointerup', up);
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
      window.removeEventListener('pointermove', move);
      window.removeEventListener('pointerup', up);
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
    window.addEventListener('pointermove', move);
    window.addEventListener('pointerup', up);
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
      this.valueZoom = [this.openScale.up(v + (lo - v) * k), this.openScale.up(v + (hi - v) * k)];
      this.drawSoon();
    } else if (e.shiftKey || this.lanesHigh() <= refs.lanes.clientHeight) this.wheelTime(e);
  },

  // -- what is done with picked keys --------------------------------------------------------------------
  pickedText() {
    const n = this.countPicked(),
      ts = Object.values(this.picked).flat();
    if (!n) return '';
    const paths = Object.keys(this.picked),
      whose = paths.length === 1 ? (this.lane(paths[0]) || {}).title : `${paths.length} values`;
    const span = n > 1 ? `, ${Math.min(...ts).toFixed(2)}–${Math.max(...ts).toFixed(2)} s` : '';
    return `${n === 1 ? 'a key' : n + ' keys'} of ${whose}${span}`;
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
  joinOfPicked() {
    const joins = new Set();
    for (const [path, ts] of Object.entries(this.picked)) {
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
    this.pickedNext = this.picked;
    this.send({ typed_key: { path: lane.path, t: key.t, text } }).then(() => {
      this.pickedNext = null;
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
  stretchAbout: 'start',
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
    this.busy = `copied ${this.pickedText()}`;
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
  sayPicked() {
    const key = this.theKey(),
      lane = this.theLane();
    if (key && lane) this.go(clamp(key.t, 0, this.s.shot.seconds) + 1e-6);
  },
  selectLane(path) {
    const lane = this.lane(path);
    if (lane) this.setPicked({ [path]: lane.keys.map((k) => k.t) });
  },
  setBeyond(which, value) {
    this.command({ op: 'beyond', path: this.openLane, [which]: value });
  },
  pasteTarget() {
    const p = this.touched;
    return this.copied && this.copied.length === 1 && p && p !== this.copied[0].path ? p : '';
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

  // -- small motions, clip and clock, seam, amount ------------------------------------------------------
  async openMover(path, index = null) {
    path = path || this.openLane || this.touched;
    if (!path) {
      this.offerPins('Which value of the slip is to move?', (chosen) => this.openMover(chosen));
      return;
    }
    const lane = this.lane(path),
      term = index === null ? null : lane.terms[index];
    if (!this.numbers) {
      const reply = await fetch(this.url(`numbers/?shot=${this.s.shot.id}`));
      this.numbers = reply.ok ? (await reply.json()).numbers : [];
    }
    const entry = this.numbers.find((n) => n.path === path);
    if (!entry) {
      this.say('Only a number can be given a small motion.');
      return;
    }
    const kind = term
      ? term.kind === 'wander'
        ? term.rough > 0
          ? 'noise'
          : 'drift'
        : term.kind
      : entry.turn
        ? 'turning'
        : entry.light
          ? 'flicker'
          : 'swing';
    this.mover = {
      path,
      title: entry.name,
      unit: entry.unit,
      index,
      kind,
      turn: entry.turn,
      size: entry.value,
      values: {},
    };
    this.fillMover(term);
    this.dialog = 'mover';
  },
  fillMover(term) {
    const r = RECIPES[this.mover.kind],
      size = Math.abs(this.mover.size) * 0.2 || 1;
    this.mover.values = Object.fromEntries(
      r.fields.map(([name, , usual]) => [
        name,
        term ? term[name] : name === 'amount' ? +(this.mover.turn ? 3 : size).toPrecision(2) : usual,
      ]),
    );
    if (this.mover.kind === 'follow' && !term)
      this.mover.values.path =
        (
          this.numbers.find((n) => n.keyed && n.path !== this.mover.path) ||
          this.numbers.find((n) => n.path !== this.mover.path) ||
          {}
        ).path || '';
  },
  async useMover() {
    const m = this.mover,
      r = RECIPES[m.kind],
      given = { ...(r.preset || {}) };
    for (const [name, title, usual] of r.fields) {
      if (typeof usual === 'number') {
        const v = Number(String(m.values[name]).replace(',', '.'));
        if (!Number.isFinite(v) || String(m.values[name]).trim() === '') {
          this.say(`${title} must be a number, and “${m.values[name]}” is none.`);
          return;
        }
        given[name] = v;
      } else given[name] = m.values[name];
    }
    const whole = m.kind === 'turning' || m.kind === 'sway',
      term = { kind: r.term || m.kind, ...given };
    const old = m.index !== null ? this.lane(m.path).terms[m.index] : null;
    if (old && old.kind === 'follow' && term.kind === 'follow' && old.path === term.path) term.level = old.level;
    const ok = await this.command(
      m.index !== null
        ? { op: 'set_term', path: m.path, index: m.index, term }
        : {
            op: 'recipe',
            shot: this.s.shot.id,
            path: m.path,
            recipe: whole ? { kind: m.kind, ...given } : { kind: 'term', term },
          },
    );
    if (ok) {
      this.dialog = '';
      this.numbers = null;
      if (this.openLane !== m.path) this.toggleLane(m.path);
    }
  },
  openClock() {
    this.dialog = 'clock';
    this.planSaid = this.meetSaid = '';
    htmx.ajax('GET', this.url(`clock/?shot=${this.s.shot.id}`), {
      target: '#clock-form',
      swap: 'innerHTML',
    });
  },
  openSeam() {
    this.dialog = 'seam';
    this.seamSaid = '';
    htmx.ajax('GET', this.url(`seam/?shot=${this.s.shot.id}`), {
      target: '#seam',
      swap: 'innerHTML',
    });
  },
  async form(tail, data) {
    const body = new FormData();
    body.set('rev', this.s.rev);
    body.set('shot', this.s.shot.id);
    for (const [k, v] of Object.entries(data)) body.set(k, v);
    const reply = await fetch(this.url(tail), {
      method: 'POST',
      headers: { 'X-CSRFToken': cookie('csrftoken') },
      body,
    }).catch(() => null);
    const said = reply
      ? await reply.json().catch(() => ({ error: 'The server could not take this in.' }))
      : {
          error: 'The server cannot be reached: nothing was changed. Try again in a moment.',
        };
    if (said.state) this.take_state(said.state);
    if (said.error) this.say(said.error);
    else this.say('');
    return said.error ? { error: said.error } : said;
  },
  async setClip(e) {
    const d = Object.fromEntries(new FormData(e.target));
    this.keep = d.keep;
    localStorage.setItem('lw-keep', d.keep);
    const said = await this.form('clip/', d);
    if (!said.error) {
      this.win = null;
      this.openClock();
    }
  },
  async plan(e, use) {
    const d = Object.fromEntries(new FormData(e.target.closest('form')));
    if (use) d.use = 1;
    const said = await this.form('lapse/', d);
    this.planSaid = said.error || said.text || '';
    if (use && !said.error) this.openClock();
  },
  async setAround(e) {
    const said = await this.form('around/', Object.fromEntries(new FormData(e.target)));
    if (!said.error) {
      this.dialog = '';
      this.go(0);
    }
  },
  async meetSun(bearing) {
    this.meetSaid = 'looking …';
    this.meetings = [];
    const q = new URLSearchParams({
      shot: this.s.shot.id,
      t: this.t.toFixed(4),
      bearing,
    });
    if (this.cam) q.set('cam', this.cameraText());
    const reply = await fetch(this.url(`meet/?${q}`)),
      said = await reply.json().catch(() => ({ error: 'The server could not answer.' }));
    this.meetSaid = said.error || said.none || '';
    this.meetings = said.found || [];
  },
  meetings: [],
  // the shot shows this moment at the playhead: its start moves, its speed stays
  startAt(moment) {
    const lane = this.lane(`/shots/${this.s.shot.id}/clock/start`);
    if (lane) {
      this.say("The place's clock is keyed in this shot: move its keys instead.");
      return;
    }
    const c = this.s.day.clock,
      speed = c.at(-1) / this.s.shot.seconds,
      start = new Date(Date.parse(moment + 'Z') - 1000 * speed * this.t);
    this.command({
      op: 'clock',
      shot: this.s.shot.id,
      start: start.toISOString().slice(0, 19),
      speed: +speed.toPrecision(9),
    });
  },
  async repair(path, how) {
    const shot = this.s.shot.id;
    const c =
      how === 'loop'
        ? { op: 'set', path: `/shots/${shot}/loop`, value: true }
        : how === 'still'
          ? { op: 'set', path: `/shots/${shot}/clock/speed`, value: 0 }
          : how === 'cross-fade'
            ? {
                op: 'seam',
                shot,
                seam: 'cross-fade',
                frames: Math.max(2, Math.min(24, Math.round(this.s.shot.frames / 6))),
              }
            : how === 'there and back'
              ? { op: 'seam', shot, seam: 'mirror' }
              : how === 'cut'
                ? { op: 'seam', shot, seam: 'cut' }
                : { op: 'repair', shot, path, how };
    if (await this.command(c)) this.openSeam();
  },
  async fadeOver(text) {
    const frames = Number(text);
    if (!Number.isInteger(frames) || frames < 2) {
      this.say(`A fade is a whole number of frames, at least 2, and “${text}” is none.`);
      return;
    }
    if (
      await this.command({
        op: 'seam',
        shot: this.s.shot.id,
        seam: 'cross-fade',
        frames,
      })
    )
      this.openSeam();
  },
  async compareSeam() {
    this.seamSaid = 'rendering a few small frames …';
    const said = await this.form('seam/step/', {});
    this.seamSaid = said.error || said.text;
  },
  async showAmount() {
    if (this.amounts) {
      this.amounts = null;
      return;
    }
    this.busy = 'measuring what moves …';
    const q = new URLSearchParams({
      shot: this.s.shot.id,
      t: this.t.toFixed(4),
    });
    if (this.cam) q.set('cam', this.cameraText());
    const reply = await fetch(this.url(`amount/?${q}`)).catch(() => null),
      said = reply
        ? await reply.json().catch(() => ({ error: 'The server could not answer.' }))
        : { error: 'The server cannot be reached.' };
    this.busy = '';
    if (said.error) {
      this.say(said.error);
      return;
    }
    this.amounts = said;
    this.look();
  },
  answer(how) {
    const a = this.ask;
    this.ask = null;
    if (!how) {
      this.slip();
      this.drawChart();
      return;
    }
    this.send(
      a.command ? { command: a.command, auto: true } : { typed: { path: a.path, text: a.text, t: a.t, how } },
    );
  },
};
