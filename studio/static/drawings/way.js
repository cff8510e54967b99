/* The way on the chart: its line, what the ride check dislikes, its stations, suggested views, the camera's wedge. */
import { halfAngle } from '../kit/camera.js';
import { el } from '../kit/dom.js';

/**
 * The way as a path, broken where it cuts.
 * @param {number[][]} rows
 * @param {number[]} cuts seconds
 */
function routeLine(rows, cuts) {
  let d = '';
  rows.forEach((p, i) => {
    const cut = i && cuts.some((c) => c > rows[i - 1][0] && c <= p[0] + 1e-9);
    d += `${i && !cut ? 'L' : 'M'}${p[1]} ${-p[2]}`;
  });
  return d;
}

/**
 * @param {Element} g
 * @param {any} data the `route`, faults found as `wrong`, suggested `views` and the one that is looked at
 *   (`viewShown`), the `selected` station, metres a pixel as `px`, and where a station's or view's aim is drawn
 *   (`aimPoint`)
 * @param {Record<string, Function>} acts what a press or a key does to a view, an aim, a station
 * @returns {Element} the group that the wedge is drawn in
 */
export function drawWay(g, { route: r, wrong, views, viewShown, selected, px, aimPoint }, acts) {
  const cuts = r.changes || [];
  g.replaceChildren();
  if (r.samples.length) {
    const d = routeLine(r.samples, cuts);
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
    for (const f of wrong) {
      const part = r.samples.filter((p) => p[0] >= f.from_s - 0.05 && p[0] <= f.to_s + 0.05);
      if (part.length > 1)
        g.append(
          el('path', {
            d: routeLine(part, cuts),
            fill: 'none',
            stroke: 'var(--brick)',
            'stroke-width': 3.5 * px,
            'stroke-dasharray': `${4 * px} ${2 * px}`,
            'data-fault': f.kind,
          }),
        );
    }
  }
  const wedge = g.appendChild(el('g', { 'pointer-events': 'none' }));
  for (const v of views) {
    const a = aimPoint(v),
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
        fill: viewShown === v.id ? 'var(--water)' : 'var(--sheet)',
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
    mark.addEventListener('pointerdown', (e) => acts.pressView(e, v));
    mark.addEventListener('keydown', (e) => {
      if (e.key !== 'Enter') return;
      e.preventDefault();
      e.stopPropagation();
      acts.pickView(v, viewShown === v.id);
    });
    g.append(mark);
  }
  r.stations.forEach((st, i) => {
    const on = st.id === selected,
      mark = el('g', {
        tabindex: 0,
        role: 'button',
        'aria-label': `Station ${i + 1}${st.name ? ' ' + st.name : ''}`,
        style: 'cursor:grab;pointer-events:auto',
        'data-station': st.id,
      });
    if (on) {
      const a = aimPoint(st);
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
      knob.addEventListener('pointerdown', (e) => acts.dragAim(e, st));
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
    mark.addEventListener('pointerdown', (e) => acts.dragStation(e, st));
    mark.addEventListener('keydown', (e) => acts.keyStation(e, st));
    g.append(mark);
  });
  return wedge;
}

/**
 * What the camera sees to either side, from where it stands.
 * @param {Element} g
 * @param {{ camera: any, px: number }} data
 */
export function drawWedge(g, { camera: c, px }) {
  const b = (c.bearing * Math.PI) / 180,
    h = halfAngle(c.focal),
    r = 62 * px;
  const pt = (a) => `${c.x + Math.sin(a) * r} ${-(c.y + Math.cos(a) * r)}`;
  g.replaceChildren(
    el('path', {
      d: `M${c.x} ${-c.y}L${pt(b - h)}A${r} ${r} 0 0 1 ${pt(b + h)}Z`,
      fill: 'var(--amber-fill)',
      'fill-opacity': 0.25,
      stroke: 'var(--amber)',
      'stroke-width': px,
      'data-wedge': 1,
    }),
    el('circle', { cx: c.x, cy: -c.y, r: 3.5 * px, fill: 'var(--amber)' }),
  );
}
