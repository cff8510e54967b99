/* The section along the way, and the pacing drawn over it. */
import { clamp, el, pointerDrag, refs } from '../kit/dom.js';
import { thinnedPace } from '../kit/pace.js';

/** @type {import('../types.js').Part} */
export const section = {
  sectionRange: null,
  sectionScale: null,
  paceScale: null,
  sectionText: null,
  paceText: null,
  head: null,
  stroke: null,
  paceDrawing: false,

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
      const lo = Math.min(...rows.map((r) => Math.min(r[7], r[3]))),
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
    for (const [v, words] of /** @type {[number, string][]} */ ([
      [1.4, 'a walk'],
      [5, 'a cyclist'],
      [12, 'a slow drone'],
    ]))
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
    this.setSelected(st.id);
    this.follow(
      (m) => {
        if (!moved && Math.abs(m.clientY - y0) < 3) return;
        if (!moved) this.beginDrag(st);
        moved = true;
        const up = up0 + ((y0 - m.clientY) / this.sectionScale.perMetre) * (m.shiftKey ? 0.25 : 1);
        st.aim = [st.aim[0], st.aim[1], st.aim[2] + up - st.up];
        st.up = +up.toFixed(3);
        this.setCamera(this.viewFrom(st));
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
    pointerDrag(put, up);
  },
  tapSection(e) {
    if (this.paceDrawing) {
      this.drawPace(e);
      return;
    }
    const r = refs.drawing.getBoundingClientRect();
    this.go(((e.clientX - r.left) / r.width) * this.s.shot.seconds);
  },
  togglePace() {
    this.paceDrawing = !this.paceDrawing;
    this.drawDrawing();
  },
  evenPace() {
    this.command({ op: 'draw_pace', shot: this.s.shot.id, points: [] });
  },
};
