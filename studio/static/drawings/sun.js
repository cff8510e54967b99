/* Sun and moon over the day: their paths, where they stand, what the camera sees of the horizon and its skyline. */
import { halfAngle } from '../kit/camera.js';
import { clamp, el } from '../kit/dom.js';
import { caption } from '../kit/notes.js';

const BEARINGS = /** @type {[number, string][]} */ ([
  [0, 'N'],
  [45, 'NE'],
  [90, 'E'],
  [135, 'SE'],
  [180, 'S'],
  [225, 'SW'],
  [270, 'W'],
  [315, 'NW'],
]);

/** Where a bearing and a height [degrees] lie in a drawing of this size, and back. */
export const dayScales = (W, H) => ({
  X: (az) => ((((az % 360) + 360) % 360) / 360) * W,
  Y: (e) => H * 0.72 - (e / 90) * H * 0.68,
  azimuth: (x) => (x / W) * 360,
  height: (y) => ((H * 0.72 - y) / (H * 0.68)) * 90,
});

/** A path of rows of hour, azimuth and elevation as a line that breaks where it passes north. */
function line(path, { X, Y }) {
  let d = '';
  path.forEach((p, i) => {
    const joins = i && Math.abs(p[1] - path[i - 1][1]) < 180;
    d += `${joins ? 'L' : 'M'}${X(p[1]).toFixed(1)} ${Y(p[2]).toFixed(1)}`;
  });
  return d;
}

/** Azimuth and elevation of a path at an hour. */
export function onPath(path, hour) {
  const every = path[1][0] - path[0][0],
    i = clamp(Math.floor(hour / every), 0, path.length - 2),
    f = hour / every - i;
  return [
    (path[i][1] + (((path[i + 1][1] - path[i][1] + 540) % 360) - 180) * f + 360) % 360,
    path[i][2] + (path[i + 1][2] - path[i][2]) * f,
  ];
}

/** The hour of a path that lies nearest to a spot of the drawing. */
export function nearestHour(path, scales, x, y) {
  let best = [Infinity, 0];
  for (let hour = 0; hour < 24; hour += 1 / 12) {
    const [az, e] = onPath(path, hour),
      away = Math.hypot(scales.X(az) - x, 0.5 * (scales.Y(e) - y));
    if (away < best[0]) best = [away, hour];
  }
  return best[1];
}

function ground(svg, { X, Y }, W, H) {
  svg.append(
    el('rect', { x: 0, y: Y(0), width: W, height: H - Y(0), fill: 'var(--contour)', 'fill-opacity': 0.3 }),
    el('line', { x1: 0, x2: W, y1: Y(0), y2: Y(0), stroke: 'var(--contour-index)' }),
  );
  for (const [az, name] of BEARINGS)
    svg.append(el('text', { x: X(az) + 3, y: H - 5, 'font-size': 11, fill: 'var(--faint)' }, name));
  for (const e of [30, 60])
    svg.append(
      el('line', { x1: 0, x2: W, y1: Y(e), y2: Y(e), stroke: 'var(--rule)' }),
      el('text', { x: W - 26, y: Y(e) - 3, 'font-size': 10, fill: 'var(--faint)' }, `${e}°`),
    );
}

function hours(svg, path, { X, Y }, fill, every) {
  for (const p of path)
    if (Number.isInteger(p[0]) && p[0] % every === 0 && p[0] < 24 && p[2] > -16)
      svg.append(
        el('circle', { cx: X(p[1]), cy: Y(p[2]), r: 2, fill }),
        el(
          'text',
          { x: X(p[1]) + 4, y: Y(p[2]) - 4, 'font-size': 10.5, fill: 'var(--ink)', 'font-family': 'IBM Plex Mono' },
          `${p[0]}h`,
        ),
      );
}

/** The part of the day that the clip runs through. */
function span(svg, path, scales, [from, to]) {
  if (to - from < 0.02) return;
  const part = [];
  for (let hour = from; hour <= Math.min(to, from + 24); hour += 0.1) part.push([hour, ...onPath(path, hour % 24)]);
  svg.append(
    el('path', {
      d: line(part, scales),
      fill: 'none',
      stroke: 'var(--amber)',
      'stroke-width': 6,
      'stroke-opacity': 0.35,
      'stroke-linecap': 'round',
    }),
  );
}

function moonDisc(svg, { X, Y }, [az, e, lit], drag) {
  const ring = el('circle', {
    cx: X(az),
    cy: Y(e),
    r: 6,
    fill: 'var(--paper)',
    stroke: 'var(--tide)',
    'stroke-width': 1.4,
    'data-heaven': 'moon',
  });
  const shown = el('path', {
    d: `M${X(az)} ${Y(e) - 6} a6 6 0 0 1 0 12 a${Math.abs(12 * lit - 6)} 6 0 0 ${lit > 0.5 ? 1 : 0} 0 -12`,
    fill: 'var(--tide)',
    'pointer-events': 'none',
  });
  if (drag) {
    ring.style.cursor = 'grab';
    ring.addEventListener('pointerdown', (press) => drag('moon', press));
  }
  svg.append(ring, shown);
}

/**
 * @param {Element} svg
 * @param {Record<string, any>} data
 *   `W`, `H`, the sun's `path` as rows of hour, azimuth and elevation in degrees, the `moon`'s and `moon_now`,
 *   `sun_by`, `words`, `camera`, `hour` of the day, `clock`, the clip's `span` of hours, a `skyline` of bearings and
 *   heights
 * @param {(what: string, press: PointerEvent) => void} drag  when sun or moon is taken hold of
 */
export function drawSun(svg, data, drag) {
  const { W, H, path, moon, moon_now, words, camera, hour, clock, skyline } = data,
    scales = dayScales(W, H),
    { X, Y } = scales;
  ground(svg, scales, W, H);
  if (skyline) {
    const d = skyline.map(([az, e], i) => {
      const joins = i && Math.abs(X(az) - X(skyline[i - 1][0])) < W / 2;
      return `${joins ? 'L' : 'M'}${X(az).toFixed(1)} ${Y(Math.max(e, 0)).toFixed(1)}`;
    });
    svg.append(el('path', { d: d.join(''), fill: 'none', stroke: 'var(--marsh)', 'stroke-width': 1.5 }));
  }
  if (moon.length) {
    svg.append(
      el('path', {
        d: line(moon, scales),
        fill: 'none',
        stroke: 'var(--tide)',
        'stroke-width': 1.2,
        'stroke-dasharray': '5 3',
      }),
    );
  }
  svg.append(el('path', { d: line(path, scales), fill: 'none', stroke: 'var(--amber)', 'stroke-width': 1.8 }));
  span(svg, path, scales, data.span);
  hours(svg, path, scales, 'var(--amber)', 3);
  const h = (halfAngle(camera.focal) * 180) / Math.PI;
  svg.append(
    el('rect', {
      x: X(camera.bearing - h),
      y: Y(0) - 6,
      width: (2 * h * W) / 360,
      height: 6,
      fill: 'var(--tide)',
      'fill-opacity': 0.5,
    }),
  );
  const [az, e] = data.sun_by === 'hand' ? data.sun_now : onPath(path, hour);
  const by_date = moon.length ? [...onPath(moon, hour), moon_now ? moon_now[2] : 0] : moon_now;
  if (by_date) moonDisc(svg, scales, by_date, data.moon_by === 'hand' ? drag : null);
  const disc = el('circle', {
    cx: X(az),
    cy: Y(e),
    r: 7,
    fill: 'var(--amber-fill)',
    stroke: 'var(--ink)',
    'stroke-width': 1.2,
    style: 'cursor:grab',
    'data-heaven': 'sun',
  });
  disc.addEventListener('pointerdown', (press) => drag('sun', /** @type {PointerEvent} */ (press)));
  disc.append(el('title', {}, 'Drag it along its day'));
  svg.append(disc);
  caption(svg, 8, 14, `sun ${e.toFixed(1)}° up, bearing ${az.toFixed(0)}° at ${clock} · ${words}`);
  if (by_date && H > 110) caption(svg, 8, 28, `moon ${by_date[1].toFixed(0)}° up, ${data.moon_words}`);
}
