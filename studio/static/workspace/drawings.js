/* The drawing under the chart, by bench: the sun over the day, and the waves. */
import { el, clamp, refs, keepingFocus } from '../kit/dom.js';
import { benchOf } from './benches.js';

/** @type {import('../types.js').Part} */
export const drawings = {
  drawDrawing() {
    keepingFocus(refs.drawing, () => this.drawDrawingAnew());
  },
  drawDrawingAnew() {
    const svg = refs.drawing;
    if (!svg || !(this.held || svg.clientWidth)) return;
    const [W, H] = this.held ? this.held.size : [svg.clientWidth, svg.clientHeight];
    svg.setAttribute('viewBox', `0 0 ${W} ${H}`);
    svg.replaceChildren();
    this[benchOf(this.bench).draw](svg, W, H);
  },
  drawSun(svg, W, H) {
    const path = this.s.day.path,
      X = (az) => (az / 360) * W,
      Y = (e) => H * 0.72 - (e / 90) * H * 0.68;
    svg.append(
      el('rect', {
        x: 0,
        y: Y(0),
        width: W,
        height: H - Y(0),
        fill: 'var(--contour)',
        'fill-opacity': 0.3,
      }),
      el('line', {
        x1: 0,
        x2: W,
        y1: Y(0),
        y2: Y(0),
        stroke: 'var(--contour-index)',
      }),
    );
    for (const [az, name] of /** @type {[number, string][]} */ ([
      [0, 'N'],
      [45, 'NE'],
      [90, 'E'],
      [135, 'SE'],
      [180, 'S'],
      [225, 'SW'],
      [270, 'W'],
      [315, 'NW'],
    ]))
      svg.append(el('text', { x: X(az) + 3, y: H - 5, 'font-size': 11, fill: 'var(--faint)' }, name));
    for (const e of [30, 60])
      svg.append(
        el('line', {
          x1: 0,
          x2: W,
          y1: Y(e),
          y2: Y(e),
          stroke: 'var(--rule)',
        }),
        el('text', { x: W - 26, y: Y(e) - 3, 'font-size': 10, fill: 'var(--faint)' }, `${e}°`),
      );
    let d = '';
    path.forEach((p, i) => {
      d += (i && Math.abs(p[1] - path[i - 1][1]) < 180 ? 'L' : 'M') + `${X(p[1]).toFixed(1)} ${Y(p[2]).toFixed(1)}`;
    });
    svg.append(
      el('path', {
        d,
        fill: 'none',
        stroke: 'var(--amber)',
        'stroke-width': 1.8,
      }),
    );
    for (const p of path)
      if (Number.isInteger(p[0]) && p[0] % 3 === 0 && p[0] < 24 && p[2] > -16)
        svg.append(
          el('circle', {
            cx: X(p[1]),
            cy: Y(p[2]),
            r: 2,
            fill: 'var(--amber)',
          }),
          el(
            'text',
            {
              x: X(p[1]) + 4,
              y: Y(p[2]) - 4,
              'font-size': 10.5,
              fill: 'var(--ink)',
              'font-family': 'IBM Plex Mono',
            },
            `${p[0]}h`,
          ),
        );
    const c = this.camera(),
      h = (Math.atan(18 / c.focal) * 180) / Math.PI;
    svg.append(
      el('rect', {
        x: X((c.bearing - h + 360) % 360),
        y: Y(0) - 6,
        width: X(2 * h),
        height: 6,
        fill: 'var(--tide)',
        'fill-opacity': 0.5,
      }),
    );
    const now = this.hourAt(this.t),
      hour = now.getUTCHours() + now.getUTCMinutes() / 60,
      i = clamp(Math.floor(hour * 4), 0, path.length - 2),
      f = hour * 4 - i;
    const el_ = path[i][2] + (path[i + 1][2] - path[i][2]) * f,
      az = path[i][1] + (((path[i + 1][1] - path[i][1] + 540) % 360) - 180) * f;
    svg.append(
      el('circle', {
        cx: X((az + 360) % 360),
        cy: Y(el_),
        r: 7,
        fill: 'var(--amber-fill)',
        stroke: 'var(--ink)',
        'stroke-width': 1.2,
      }),
    );
    svg.append(
      el(
        'text',
        {
          x: 8,
          y: 14,
          'font-size': 11.5,
          fill: 'var(--ink)',
          'font-family': 'IBM Plex Mono',
        },
        `sun ${el_.toFixed(1)}° up, bearing ${((az + 360) % 360).toFixed(0)}° ` +
          `at ${this.clockAt(this.t)} · ${this.s.day.words}`,
      ),
    );
  },
  async drawWaves(svg, W, H) {
    const reply = await fetch(this.url(`waves/?shot=${this.s.shot.id}&t=${this.t.toFixed(3)}`));
    if (!reply.ok || this.bench !== 'water') return;
    const d = await reply.json();
    svg.replaceChildren();
    if (!d.spectrum.length) {
      svg.append(el('text', { x: 12, y: 24, 'font-size': 13, fill: 'var(--faint)' }, d.words));
      return;
    }
    const top = Math.max(...d.spectrum.map((p) => p[1])),
      X = (f) => 34 + (f / d.spectrum.at(-1)[0]) * (W - 50),
      Y = (s) => H - 22 - (s / top) * (H - 52);
    svg.append(
      el('path', {
        d: `M34 ${H - 22}H${W - 10}`,
        stroke: 'var(--contour-index)',
      }),
      el('path', {
        d:
          'M' +
          d.spectrum.map((p) => `${X(p[0]).toFixed(1)} ${Y(p[1]).toFixed(1)}`).join('L') +
          `L${X(d.spectrum.at(-1)[0])} ${H - 22}L${X(0)} ${H - 22}Z`,
        fill: 'var(--water)',
        stroke: 'var(--tide)',
        'stroke-width': 1.6,
      }),
    );
    for (const s of [2, 3, 4, 6, 10]) {
      const f = 1 / s;
      if (X(f) < W - 10)
        svg.append(
          el('line', {
            x1: X(f),
            x2: X(f),
            y1: H - 22,
            y2: H - 18,
            stroke: 'var(--ink)',
          }),
          el(
            'text',
            {
              x: X(f),
              y: H - 6,
              'font-size': 10.5,
              'text-anchor': 'middle',
              fill: 'var(--faint)',
              'font-family': 'IBM Plex Mono',
            },
            `${s} s`,
          ),
        );
    }
    svg.append(
      el(
        'text',
        {
          x: 8,
          y: 14,
          'font-size': 11.5,
          fill: 'var(--ink)',
          'font-family': 'IBM Plex Mono',
        },
        d.words,
      ),
    );
  },
  tapDrawing(e) {
    const { tap } = benchOf(this.bench);
    if (tap) this[tap](e);
  },
};
