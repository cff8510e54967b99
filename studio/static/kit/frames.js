/* Frames of a rehearsal, which come every fourth first. */

const COARSE = 4;

/**
 * Whether some frames that lie ready are every fourth and no others between.
 * @param {Record<string, string>} frames
 */
export function everyFourth(frames) {
  const numbers = Object.keys(frames).map(Number);
  return numbers.length > 1 && new Set(numbers.map((n) => n % COARSE)).size === 1;
}

/**
 * The frame to show where one is asked for: itself, or the last before it that is ready, if that is not long ago.
 * @param {number} n
 * @param {(n: number) => boolean} ready
 */
export function lastReady(n, ready) {
  for (let k = n; k > n - COARSE && k >= 1; k--) if (ready(k)) return k;
  return n;
}
