/* The timeline: its rulers, its playhead and what lies ready. */
import { timecode } from '../kit/timecode.js';
import { el, clamp, refs, pointerDrag } from '../kit/dom.js';
import { LANE, OPEN, EDGE, near, dragged } from './keys_drawn.js';

/** @type {import('../types.js').Part} */
export const timeline = {
  readyBar: null,
  playline: null,
  tall: Number(localStorage.getItem('lw-tall') || 0),

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
                : timecode(Math.round(t * f), this.s.shot.fps)
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
            String(label),
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
        this.setRange([Math.min(from, to) + 1, Math.max(from, to) + 1]);
        this.drawTimeline();
      };
      const up = () => {
        if (this.range && this.range[0] === this.range[1]) this.setRange(null);
        this.drawTimeline();
      };
      pointerDrag(move, up);
      return;
    }
    const to = (m) => this.go(at(m) / f + 1e-6);
    this.setPlaying(false);
    to(e);
    pointerDrag(to);
  },
  wheelTime(e) {
    e.preventDefault();
    const w = this.span(),
      T = this.s.shot.seconds,
      x = e.clientX - refs.timeline.getBoundingClientRect().left,
      at = this.lineT(x);
    if (e.shiftKey) {
      const by = Math.sign(e.deltaY || e.deltaX) * (w.b - w.a) * 0.1;
      this.setWin({ a: w.a + by, b: w.b + by });
    } else {
      const k = e.deltaY > 0 ? 1.25 : 0.8,
        size = clamp((w.b - w.a) * k, 3 / this.fps(), 6 * T + 60),
        share = (at - w.a) / (w.b - w.a);
      this.setWin({ a: at - share * size, b: at + (1 - share) * size });
    }
    this.drawTimeline();
  },
  fitTime(all) {
    this.setWin(null);
    this.setValueZoom(null);
    if (all) {
      const ts = this.s.lanes.flatMap((l) => l.keys.map((k) => k.t)),
        a = Math.min(0, ...ts),
        b = Math.max(this.s.shot.seconds, ...ts),
        pad = (b - a) * 0.02;
      this.setWin({ a: a - pad, b: b + pad });
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
    this.setWin({ a: a - pad, b: b + pad });
    const lane = this.lane(this.openLane);
    if (lane && this.picked[lane.path] && lane.kind === 'number') {
      const vs = lane.keys.filter((k) => this.picked[lane.path].some((t) => near(t, k.t))).map((k) => k.v),
        lo = Math.min(...vs),
        hi = Math.max(...vs),
        room = (hi - lo || Math.abs(hi) || 1) * 0.25;
      this.setValueZoom([lo - room, hi + room]);
    }
    this.drawTimeline();
  },
  moveTall(by) {
    this.tall = clamp(this.height() + by, 90, 520);
    this.$nextTick(() => this.drawTimeline());
  },
  dragTall(e) {
    const y0 = e.clientY,
      h0 = this.height();
    const move = (m) => {
      this.tall = clamp(h0 - (m.clientY - y0), 90, 520);
      this.$nextTick(() => this.drawTimeline());
    };
    const up = () => {
      localStorage.setItem('lw-tall', this.tall);
      this.drawDrawing();
      this.drawChart();
    };
    pointerDrag(move, up);
    e.preventDefault();
  },
  // as tall as its lanes need, up to three rows with one free to begin a band in, until somebody chooses
  height() {
    const tall = this.tall || 80 + Math.min(this.s.lanes.length + 1, 3) * (LANE + 1) + 4;
    return this.openLane ? Math.max(tall, 80 + Math.min(OPEN + 3 * LANE, this.lanesHigh())) : tall;
  },
};
