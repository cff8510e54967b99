/* The look's own camera: east, north and up in metres, bearing and pitch in degrees, focal length in mm of 36. */

/** @typedef {{x: number, y: number, z: number, bearing: number, pitch: number, focal: number, roll?: number}} View */

const RADIANS = Math.PI / 180;
const EYE = 1.6;

/**
 * The camera of a route at a share of its clip, from its samples: time, x, y, z, bearing, pitch, focal.
 * @param {number[][]} rows
 * @param {number} share
 * @returns {View}
 */
export function alongRoute(rows, share) {
  if (!rows.length) return { x: 0, y: 0, z: 6, bearing: 0, pitch: -5, focal: 28 };
  const k = Math.min(1, Math.max(0, share)) * (rows.length - 1),
    i = Math.max(0, Math.min(Math.floor(k), rows.length - 2)),
    a = rows[i],
    b = rows[Math.min(i + 1, rows.length - 1)];
  /** @param {number} j */
  const mix = (j) => a[j] + (b[j] - a[j]) * (k - i);
  const turn = ((b[4] - a[4] + 540) % 360) - 180;
  return {
    x: mix(1),
    y: mix(2),
    z: mix(3),
    bearing: (a[4] + turn * (k - i) + 360) % 360,
    pitch: mix(5),
    focal: mix(6),
  };
}

/**
 * It as every address that asks for it takes it.
 * @param {View} c
 */
export const asText = (c) =>
  [c.x, c.y, c.z, c.bearing, c.pitch, c.focal, c.roll || 0].map((v) => v.toFixed(3)).join(',');

/**
 * The camera some metres to its right, ahead along where it looks, and up.
 * @param {View} c
 * @param {number} right
 * @param {number} ahead
 * @param {number} up
 * @returns {View}
 */
export function stepped(c, right, ahead, up) {
  const b = c.bearing * RADIANS,
    p = c.pitch * RADIANS;
  return {
    ...c,
    x: c.x + Math.sin(b) * ahead * Math.cos(p) + Math.cos(b) * right,
    y: c.y + Math.cos(b) * ahead * Math.cos(p) - Math.sin(b) * right,
    z: c.z + Math.sin(p) * ahead + up,
  };
}

/**
 * A spot on the ground some steps ahead of the camera: where its middle meets the ground, if that is near.
 * @param {View} c
 */
export function groundAhead(c) {
  const b = c.bearing * RADIANS,
    reach = 1.7 / Math.tan(-c.pitch * RADIANS),
    d = c.pitch < -3 ? Math.min(25, Math.max(3, reach)) : 10;
  return {
    east: +(c.x + Math.sin(b) * d).toFixed(2),
    north: +(c.y + Math.cos(b) * d).toFixed(2),
    up: +(c.z - EYE).toFixed(2),
  };
}

/**
 * Half of what a lens sees across, in radians.
 * @param {number} focal
 */
export const halfAngle = (focal) => Math.atan(18 / focal);
