/* Frames as timecode (SMPTE ST 12-1); the two rates that are not whole count by dropping labels. */

/**
 * @param {number} n frames since the start
 * @param {string} rate as the place says it, like 29.97
 */
export function timecode(n, rate) {
  const nominal = Math.round(Number(rate)),
    drop = ['29.97', '59.94'].includes(rate);
  /** @param {number} v */
  const two = (v) => String(v).padStart(2, '0');
  let label = n;
  if (drop) {
    const skipped = nominal / 15,
      minute = nominal * 60 - skipped,
      ten = minute * 10 + skipped,
      rest = n % ten;
    label += skipped * 9 * Math.floor(n / ten);
    if (rest >= nominal * 60) label += skipped * (1 + Math.floor((rest - nominal * 60) / minute));
  }
  const sec = Math.floor(label / nominal);
  const clock = [Math.floor(sec / 3600), Math.floor(sec / 60) % 60, sec % 60].map(two).join(':');
  return `${clock}${drop ? ';' : ':'}${two(label % nominal)}`;
}
