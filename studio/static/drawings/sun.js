/* The sun over the day: its path, where it stands, and what the camera sees of the horizon. */
import { halfAngle } from '../kit/camera.js';
import { clamp, el } from '../kit/dom.js';
import { caption } from '../kit/notes.js';

/**
 * @param {Element} svg
 * @param {{ W: number, H: number, path: number[][], words: string, camera: any, hour: number, clock: string }} data
 *   the path as rows of hour, azimuth and elevation in degrees, a quarter of an hour apart; `hour` of the day
 */
export function drawSun(svg, { W, H, path, words, camera, hour, clock }) {
  const X = (az) => (az / 360) * W,
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
  const h = (halfAngle(camera.focal) * 180) / Math.PI;
  svg.append(
    el('rect', {
      x: X((camera.bearing - h + 360) % 360),
      y: Y(0) - 6,
      width: X(2 * h),
      height: 6,
      fill: 'var(--tide)',
      'fill-opacity': 0.5,
    }),
  );
  const i = clamp(Math.floor(hour * 4), 0, path.length - 2),
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
  caption(svg, 8, 14, `sun ${el_.toFixed(1)}° up, bearing ${((az + 360) % 360).toFixed(0)}° at ${clock} · ${words}`);
}
