/* The chart's sheet: land, water, contours, what is built, names, the scale and north. */
import { el } from '../kit/dom.js';
import { clearPlace, roundLength } from '../kit/geometry.js';

/**
 * @param {Element} svg
 * @param {{ chart: any, px: number }} data metres a pixel as `px`
 */
export function drawGround(svg, { chart: c, px }) {
  const [w, s, e, n] = c.bounds;
  svg.replaceChildren();
  svg.append(
    el('rect', {
      x: w,
      y: -n,
      width: e - w,
      height: n - s,
      fill: 'var(--land)',
    }),
  );
  if (c.water)
    svg.append(
      el('path', {
        d: c.water,
        fill: 'var(--water)',
        'fill-rule': 'evenodd',
        stroke: 'var(--tide)',
        'stroke-width': 1.4 * px,
      }),
    );
  for (const l of c.lines)
    svg.append(
      el('path', {
        d: l.d,
        fill: 'none',
        stroke: l.index ? 'var(--contour-index)' : 'var(--contour)',
        'stroke-width': (l.index ? 1.1 : 0.7) * px,
      }),
    );
}

/**
 * @param {Element} svg
 * @param {{ chart: any, px: number, named: boolean }} data
 */
export function drawBuilt(svg, { chart: c, px, named }) {
  for (const b of c.built) {
    if (b.line.length > 1) {
      const d = 'M' + b.line.map((p) => `${p[0]} ${-p[1]}`).join('L');
      svg.append(
        el('path', {
          d,
          fill: 'none',
          stroke: 'var(--ink)',
          'stroke-width': Math.max(b.width, 4 * px),
        }),
        el('path', {
          d,
          fill: 'none',
          stroke: 'var(--sheet)',
          'stroke-width': Math.max(b.width - 2 * px, 2 * px),
          'stroke-dasharray': `${1.5 * px} ${1.5 * px}`,
        }),
      );
    } else
      svg.append(
        el('rect', {
          x: b.line[0][0] - b.width / 2,
          y: -b.line[0][1] - b.width / 2,
          width: b.width,
          height: b.width * 0.8,
          fill: 'var(--sheet)',
          stroke: 'var(--ink)',
          'stroke-width': px,
          transform: `rotate(${b.turn} ${b.line[0][0]} ${-b.line[0][1]})`,
        }),
      );
    const at = b.line[Math.floor(b.line.length / 2)];
    if (named)
      svg.append(
        el(
          'text',
          {
            'font-size': 10 * px,
            fill: 'var(--faint)',
            stroke: 'var(--land)',
            'stroke-width': 2.5 * px,
            'paint-order': 'stroke',
            'data-label': `${at[0]},${-at[1]}`,
          },
          b.name,
        ),
      );
  }
}

// Names stand where they hide neither another name nor a mark: beside their spot, else over or under it, else not
// at all.
/**
 * @param {any[]} texts
 * @param {{ spots: number[][], px: number }} data east and south of what must stay free
 */
export function settleLabels(texts, { spots, px }) {
  const taken = spots.map(([x, y]) => [x - 6 * px, y - 6 * px, x + 6 * px, y + 6 * px]);
  for (const text of texts) {
    const [x, y] = text.dataset.label.split(',').map(Number),
      high = Number(text.getAttribute('font-size')),
      wide = text.textContent.length * high * 0.55,
      r = 8 * px;
    const over = [
        [-wide / 2, -r * 1.2],
        [-wide / 2, r * 2.2],
      ],
      beside = [
        [r, -r * 0.6],
        [r, r * 1.3],
        [-r - wide, -r * 0.6],
        [-r - wide, r * 1.3],
      ];
    const places = (text.dataset.over ? [...over, ...beside] : [...beside, ...over]).map(([dx, dy]) => [
      x + dx,
      y + dy - high * 0.8,
      x + dx + wide,
      y + dy + high * 0.2,
    ]);
    const found = clearPlace(places, taken);
    text.setAttribute('visibility', found ? 'visible' : 'hidden');
    if (found) {
      text.setAttribute('x', found[0]);
      text.setAttribute('y', found[3] - high * 0.2);
      taken.push(found);
    }
  }
}

/**
 * What is being drawn by hand.
 * @param {Element} g
 * @param {{ draft: number[][], px: number }} data
 */
export function drawDraft(g, { draft, px }) {
  g.append(
    el('polyline', {
      points: draft.map((p) => `${p[0]},${-p[1]}`).join(' '),
      fill: 'var(--marsh)',
      'fill-opacity': 0.15,
      stroke: 'var(--marsh)',
      'stroke-width': 2 * px,
    }),
  );
  for (const p of draft)
    g.append(
      el('circle', {
        cx: p[0],
        cy: -p[1],
        r: 3 * px,
        fill: 'var(--marsh)',
      }),
    );
}

/**
 * @param {Element} svg
 * @param {{ box: number[], px: number, north: number, interval: number }} data the view box; north's turn in degrees;
 *   metres between contours
 */
export function drawScale(svg, { box: b, px, north, interval }) {
  const want = 90 * px,
    len = roundLength(want),
    x = b[0] + 12 * px,
    y = b[1] + b[3] - 12 * px;
  svg.append(
    el('path', {
      d: `M${x} ${y - 3 * px}V${y + 3 * px}M${x} ${y}H${x + len}M${x + len} ${y - 3 * px}V${y + 3 * px}`,
      stroke: 'var(--ink)',
      'stroke-width': 1.2 * px,
      fill: 'none',
    }),
    el(
      'text',
      {
        x: x + len + 5 * px,
        y: y + 3.5 * px,
        'font-size': 10.5 * px,
        fill: 'var(--ink)',
        'font-family': 'IBM Plex Mono',
      },
      len >= 1000 ? `${len / 1000} km` : `${len} m`,
    ),
  );
  const nx = b[0] + b[2] - 20 * px,
    ny = b[1] + 34 * px,
    turn = north;
  svg.append(
    el(
      'g',
      { transform: `rotate(${turn} ${nx} ${ny - 12 * px})` },
      el('path', {
        d:
          `M${nx} ${ny}V${ny - 24 * px}M${nx - 4 * px} ${ny - 17 * px}` +
          `L${nx} ${ny - 25 * px}L${nx + 4 * px} ${ny - 17 * px}`,
        stroke: 'var(--ink)',
        'stroke-width': 1.4 * px,
        fill: 'none',
      }),
      el(
        'text',
        {
          x: nx,
          y: ny + 12 * px,
          'font-size': 11 * px,
          'text-anchor': 'middle',
          fill: 'var(--ink)',
        },
        'N',
      ),
    ),
  );
  svg.append(
    el(
      'text',
      {
        x: b[0] + b[2] - 8 * px,
        y: y + 3.5 * px,
        'font-size': 10 * px,
        'text-anchor': 'end',
        fill: 'var(--faint)',
        stroke: 'var(--land)',
        'stroke-width': 3 * px,
        'paint-order': 'stroke',
      },
      `contours every ${interval} m`,
    ),
  );
}
