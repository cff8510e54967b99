/* What a drag in a drawing of water sets. */

const within = (/** @type {number} */ v, /** @type {number} */ lo, /** @type {number} */ hi) =>
  Math.min(hi, Math.max(lo, v));
const round = (/** @type {number} */ v, /** @type {number} */ n = 2) => +v.toFixed(n);

/**
 * @param {string} name of the handle
 * @param {any} scales values at the press, and pixels to each unit
 * @param {number} dx pixels to the right
 * @param {number} dy pixels down
 * @param {string} selected the water's id
 * @returns {{ path: string, value: number, text: string }[]}
 */
export function waterSets(name, scales, dx, dy, selected) {
  if (name === 'peak') {
    const grown = 2 ** (-dy / scales.perHeight);
    if (scales.by === 'wind') {
      const value = round(within(scales.wind * grown, 0, 40), 1);
      return [{ path: '/sea/wind_speed', value, text: `wind of ${value} m/s` }];
    }
    const height = round(within(scales.height * grown, 0.01, 20)),
      period = round(within(1 / Math.max(0.02, 1 / scales.period + dx / scales.perHertz), 0.5, 25), 1);
    return [
      { path: '/sea/wave_height', value: height, text: `waves of ${height} m` },
      { path: '/sea/wave_period', value: period, text: `every ${period} s` },
    ];
  }
  if (name === 'tide') {
    const high = round((((scales.high + dx / scales.perHour) % 24) + 24) % 24),
      range = round(within(scales.range - (2 * dy) / scales.perMetre, 0.1, 16), 1);
    return [
      { path: '/sea/tide_high', value: high, text: `high water at ${high} h` },
      { path: '/sea/tide_range', value: range, text: `tide of ${range} m` },
    ];
  }
  const way = name === 'dug' ? 1 : -1,
    depth = round(within(scales.depth + (way * dy) / scales.perMetre, 0.02, 30));
  return [{ path: `/waters/${selected}/depth`, value: depth, text: `${depth} m deep` }];
}
