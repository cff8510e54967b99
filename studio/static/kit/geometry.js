/* Plane geometry of the chart: metres east and north. */

/**
 * Whether a point lies in a ring of points.
 * @param {number[][]} ring
 * @param {number} x
 * @param {number} y
 */
export function inside(ring, x, y) {
  let hit = false;
  for (let i = 0, j = ring.length - 1; i < ring.length; j = i++)
    if (
      ring[i][1] > y !== ring[j][1] > y &&
      x < ((ring[j][0] - ring[i][0]) * (y - ring[i][1])) / (ring[j][1] - ring[i][1]) + ring[i][0]
    )
      hit = !hit;
  return hit;
}

/**
 * A view of a chart that shows some points with room about them, or all of it.
 * @param {number[]} bounds west, south, east, north
 * @param {number[][]} points
 */
export function viewOf(bounds, points) {
  const [w, s, e, n] = bounds;
  if (!points.length) return { x: (w + e) / 2, y: (s + n) / 2, wide: e - w };
  const xs = points.map((p) => p[0]),
    ys = points.map((p) => p[1]),
    span = (/** @type {number[]} */ v) => Math.max(...v) - Math.min(...v),
    middle = (/** @type {number[]} */ v) => (Math.max(...v) + Math.min(...v)) / 2;
  return { x: middle(xs), y: middle(ys), wide: 1.9 * Math.max(span(xs), span(ys), (e - w) / 7) };
}

/**
 * The longest round length (1, 2 or 5 times a power of ten) that is no longer than one.
 * @param {number} most
 */
export function roundLength(most) {
  const power = 10 ** Math.floor(Math.log10(most));
  return [5, 2, 1].map((k) => k * power).find((v) => v <= most * (1 + 1e-12)) || power;
}

/**
 * Where a name stands so that it hides nothing: the first of some places, as boxes of left, top, right and bottom, that
 * is clear of all that is taken.
 * @param {number[][]} places
 * @param {number[][]} taken
 */
export const clearPlace = (places, taken) =>
  places.find((b) => !taken.some((o) => b[0] < o[2] && b[2] > o[0] && b[1] < o[3] && b[3] > o[1]));
