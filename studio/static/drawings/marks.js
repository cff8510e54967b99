/* Things, lamps and stands on the chart. */
import { el } from '../kit/dom.js';
import { inside } from '../kit/geometry.js';

// Models are drawn by their outlines, with a small square with a corner cut where they are smaller than that; lamps are
// circles with short strokes about them.
/**
 * @param {Element} svg
 * @param {any} data the mark `m`, east and north where it stands (`at`), whether it is picked (`on`) and `named`,
 *   metres a pixel as `px`, and how far the place's north is `north` turned [degrees]
 * @param {Record<string, Function>} acts what a pick and a drag do
 */
export function drawMark(svg, { m, at, on, named, px, north: north0 = 0 }, acts) {
  const r = 5 * px,
    [east, north] = at,
    x = east,
    y = -north,
    g = el('g', {
      tabindex: 0,
      role: 'button',
      'aria-label': `${m.of === 'lamps' ? 'Lamp' : 'Model'} ${m.name}`,
      style: 'cursor:grab',
      'data-mark': m.id,
    });
  if (m.of === 'lamps') {
    let d = '';
    for (let k = 0; k < 6; k++) {
      const a = (k * Math.PI) / 3;
      const [c, s] = [Math.cos(a) * r, Math.sin(a) * r];
      d += `M${x + c * 1.35} ${y + s * 1.35}L${x + c * 2} ${y + s * 2}`;
    }
    g.append(
      el('path', { d, stroke: 'var(--amber)', 'stroke-width': 1.4 * px }),
      el('circle', {
        cx: x,
        cy: y,
        r,
        fill: on ? 'var(--amber-fill)' : 'var(--sheet)',
        stroke: 'var(--amber)',
        'stroke-width': 1.8 * px,
      }),
    );
  } else {
    const { size } = outlineOf(m, at, north0),
      d = outlinesOf(m, at, north0);
    if (d)
      g.append(
        el('path', {
          d,
          fill: on ? 'var(--amber-fill)' : 'var(--sheet)',
          'fill-opacity': 0.7,
          'fill-rule': 'evenodd',
          stroke: 'var(--ink)',
          'stroke-width': 1.2 * px,
          'stroke-linejoin': 'round',
          'data-outline': '',
        }),
      );
    if (size < 3 * r)
      g.append(
        el('path', {
          d: `M${x - r} ${y - r}H${x + r * 0.3}L${x + r} ${y - r * 0.3}V${y + r}H${x - r}Z`,
          fill: on ? 'var(--amber-fill)' : 'var(--sheet)',
          stroke: 'var(--ink)',
          'stroke-width': 1.6 * px,
        }),
      );
  }
  if (named)
    g.append(
      el(
        'text',
        {
          'data-label': `${x},${y}`,
          'font-size': 10 * px,
          fill: 'var(--faint)',
          stroke: 'var(--land)',
          'stroke-width': 2.5 * px,
          'paint-order': 'stroke',
        },
        m.name,
      ),
    );
  g.addEventListener('keydown', (e) => {
    if (e.key !== 'Enter') return;
    e.preventDefault();
    e.stopPropagation();
    acts.pick(m);
  });
  g.addEventListener('pointerdown', (e) => acts.drag(e, m));
  svg.append(g);
}

/**
 * The outlines of a model and of its copies, as one path.
 * @param {any} m
 * @param {number[]} at
 * @param {number} north
 */
export function outlinesOf(m, at, north) {
  if (!m.others) return outlineOf(m, at, north).d;
  return m.others
    .map(
      (/** @type {number[]} */ [east, north_, turn, scale]) =>
        outlineOf({ ...m, turn, scale }, [at[0] + east, at[1] + north_], 0).d,
    )
    .join('');
}

/**
 * A model's outline where it stands, as a path (y is minus north), and its longer side [m].
 * @param {any} m
 * @param {number[]} at
 * @param {number} north
 */
export function outlineOf(m, at, north) {
  const a = (((m.turn || 0) + north) * Math.PI) / 180,
    c = Math.cos(a) * m.scale,
    s = Math.sin(a) * m.scale;
  const all = [];
  let d = '';
  for (const ring of m.rings || []) {
    const placed = ring.map((/** @type {number[]} */ [u, v]) => [at[0] + c * u + s * v, at[1] - s * u + c * v]);
    all.push(...placed);
    d += `M${placed.map((/** @type {number[]} */ p) => `${p[0].toFixed(3)} ${(-p[1]).toFixed(3)}`).join('L')}Z`;
  }
  const side = (/** @type {number} */ k) => Math.max(...all.map((p) => p[k])) - Math.min(...all.map((p) => p[k]));
  return { d, size: d ? Math.max(side(0), side(1)) : 0 };
}

/**
 * @param {Element} svg
 * @param {any} data the stand `st`, whether it is `picked` and can be (`live`), metres a pixel as `px`
 * @param {Record<string, Function>} acts what a press and a pick do
 */
export function drawStand(svg, { st, picked, live, px }, acts) {
  const g = el('g', {
    tabindex: live ? 0 : null,
    role: 'button',
    'aria-label': `Stand ${st.name}`,
    style: live ? 'cursor:pointer' : null,
    'data-stand': st.id,
  });
  if (st.area.length > 2 && (live || picked))
    g.append(
      el('polygon', {
        points: st.area.map((p) => `${p[0]},${-p[1]}`).join(' '),
        fill: picked ? 'var(--marsh)' : 'transparent',
        'fill-opacity': 0.12,
        stroke: 'var(--marsh)',
        'stroke-width': (picked ? 2 : 1) * px,
        'stroke-dasharray': `${5 * px} ${3 * px}`,
      }),
    );
  for (const d of st.dots)
    g.append(
      el('circle', {
        cx: d[0],
        cy: -d[1],
        r: Math.max(d[2], 1.6 * px),
        fill: st.kind === 'pine' ? 'var(--marsh)' : 'var(--amber-fill)',
        'fill-opacity': 0.28,
        stroke: 'var(--marsh)',
        'stroke-width': 0.6 * px,
      }),
    );
  if (st.kind === 'reed' && st.area.length > 2) {
    const xs = st.area.map((p) => p[0]),
      ys = st.area.map((p) => p[1]),
      step = 16 * px;
    let d = '',
      count = 0;
    for (let x = Math.min(...xs); x < Math.max(...xs) && count < 500; x += step)
      for (let y = Math.min(...ys); y < Math.max(...ys) && count < 500; y += step) {
        const qx = x + (((y / step) % 2) * step) / 2;
        if (inside(st.area, qx, y)) {
          count++;
          d += `M${qx} ${-y}v${-5 * px}M${qx - 2.4 * px} ${-y}l${-1.6 * px} ${-3.5 * px}`;
          d += `M${qx + 2.4 * px} ${-y}l${1.6 * px} ${-3.5 * px}`;
        }
      }
    g.append(
      el('path', {
        d,
        stroke: 'var(--marsh)',
        'stroke-opacity': 0.55,
        'stroke-width': 0.8 * px,
        fill: 'none',
      }),
    );
  }
  if (live) {
    g.addEventListener('click', (e) => acts.press(e, st));
    g.addEventListener('keydown', (e) => {
      if (e.key !== 'Enter') return;
      e.stopPropagation();
      acts.pick(st);
    });
  }
  svg.append(g);
}

/**
 * @param {Element} svg
 * @param {any} data the `water`, whether it is `picked` and can be (`live`), metres a pixel as `px`
 * @param {Record<string, Function>} acts what a press and a pick do
 */
export function drawWater(svg, { water, picked, live, px }, acts) {
  const g = el('g', {
    tabindex: live ? 0 : null,
    role: 'button',
    'aria-label': `Water ${water.name}`,
    style: live ? 'cursor:pointer' : 'pointer-events:none',
    'data-water': water.id,
  });
  const lost = !!water.trouble,
    shown = lost ? `M${water.line.map((p) => `${p[0]} ${-p[1]}`).join('L')}` : water.shape;
  g.append(
    el(
      'path',
      {
        d: shown,
        fill: lost ? 'none' : 'var(--water)',
        'fill-opacity': water.kind === 'puddles' ? 0.45 : 0.95,
        stroke: lost ? 'var(--brick)' : 'var(--tide)',
        'stroke-width': (picked ? 2.4 : 1) * px,
        'stroke-dasharray': water.kind === 'puddles' || lost ? `${3 * px} ${3 * px}` : null,
      },
      el('title', {}, water.trouble || water.name),
    ),
  );
  if (picked)
    g.append(
      el('path', {
        d: `M${water.line.map((p) => `${p[0]} ${-p[1]}`).join('L')}${water.kind === 'stream' ? '' : 'Z'}`,
        fill: 'none',
        stroke: 'var(--amber)',
        'stroke-width': 1.2 * px,
        'stroke-dasharray': `${6 * px} ${4 * px}`,
      }),
    );
  if (live) {
    g.addEventListener('pointerdown', (e) => acts.press(e, water));
    g.addEventListener('keydown', (e) => {
      if (e.key !== 'Enter') return;
      e.stopPropagation();
      acts.pick(water);
    });
  }
  svg.append(g);
}

/**
 * A way on the ground.
 * @param {Element} svg
 * @param {{ way: any, picked: boolean, live: boolean, px: number }} data
 * @param {{ pick: (way: any) => void, press: (e: PointerEvent, way: any) => void }} acts
 */
export function drawGroundWay(svg, { way, picked, live, px }, acts) {
  const line = el(
    'path',
    {
      d: `M${way.line.map((p) => `${p[0]} ${-p[1]}`).join('L')}`,
      fill: 'none',
      stroke: picked ? 'var(--amber)' : 'var(--contour-index)',
      'stroke-width': Math.max(way.width, 2.2 * px),
      'stroke-opacity': 0.8,
      'stroke-linejoin': 'round',
      tabindex: live ? 0 : null,
      role: 'button',
      'aria-label': `Way ${way.name}`,
      style: live ? 'cursor:pointer' : 'pointer-events:none',
      'data-ground-way': way.id,
    },
    el('title', {}, way.name),
  );
  if (live) {
    line.addEventListener('pointerdown', (/** @type {any} */ e) => acts.press(e, way));
    line.addEventListener('keydown', (/** @type {any} */ e) => {
      if (e.key !== 'Enter') return;
      e.stopPropagation();
      acts.pick(way);
    });
  }
  svg.append(line);
}

/**
 * From where a stand's growing spreads: spots, or a line through them; each point is dragged, and taken with Delete.
 * @param {Element} svg
 * @param {any} data the `points`, whether the front goes `along` a line through them, metres a pixel (`px`)
 * @param {{ drag: (e: PointerEvent, k: number) => void, take: (k: number) => void }} acts
 */
export function drawFront(svg, { points, along, px }, acts) {
  const stroke = { stroke: 'var(--marsh)', 'stroke-width': 1.6 * px, fill: 'none' };
  if (along)
    svg.append(
      el('path', {
        ...stroke,
        d: `M${points.map((/** @type {number[]} */ p) => `${p[0]} ${-p[1]}`).join('L')}`,
        'stroke-dasharray': `${5 * px} ${3 * px}`,
        style: 'pointer-events:none',
      }),
    );
  points.forEach((/** @type {number[]} */ p, /** @type {number} */ k) => {
    const r = 5 * px,
      spot = el(
        'path',
        {
          ...stroke,
          d: `M${p[0] - r} ${-p[1]}L${p[0]} ${-p[1] - r}L${p[0] + r} ${-p[1]}L${p[0]} ${-p[1] + r}Z`,
          fill: 'var(--sheet)',
          tabindex: 0,
          role: 'button',
          'aria-label': `Growing spreads from spot ${k + 1}`,
          style: 'cursor:grab',
          'data-front-spot': k,
        },
        el('title', {}, 'Growing spreads from here: drag it, or press Delete'),
      );
    spot.addEventListener('pointerdown', (/** @type {any} */ e) => acts.drag(e, k));
    spot.addEventListener('keydown', (/** @type {any} */ e) => {
      if (e.key !== 'Delete' && e.key !== 'Backspace') return;
      e.stopPropagation();
      e.preventDefault();
      acts.take(k);
    });
    svg.append(spot);
  });
}

/**
 * A bank of fog: the area that it lies over.
 * @param {Element} svg
 * @param {{ bank: any, px: number, picked: boolean }} shown
 * @param {(bank: any) => void} pick
 */
export function drawBank(svg, { bank, px, picked }, pick) {
  const shape = el(
    'path',
    {
      d: `M${bank.area.map((p) => `${p[0]} ${-p[1]}`).join('L')}Z`,
      fill: 'var(--paper)',
      'fill-opacity': 0.55,
      stroke: picked ? 'var(--amber)' : 'var(--faint)',
      'stroke-width': (picked ? 2.2 : 1.2) * px,
      'stroke-dasharray': `${2 * px} ${4 * px}`,
      'stroke-linecap': 'round',
      tabindex: 0,
      role: 'button',
      'aria-label': `Bank of fog ${bank.name}`,
      'data-bank': bank.id,
      style: 'cursor:pointer',
    },
    el('title', {}, bank.name),
  );
  shape.addEventListener('pointerdown', (e) => {
    e.stopPropagation();
    pick(bank);
  });
  shape.addEventListener('keydown', (e) => {
    if (/** @type {KeyboardEvent} */ (e).key === 'Enter') pick(bank);
  });
  svg.append(shape);
}
