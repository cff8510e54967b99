/* The benches, in the order of the work: the drawing under the chart of each, and what a press in it does. One
   that the server must be asked for stays until the answer is there. */

/** @type {{ id: string, draw: string, tap?: string, asks?: boolean }[]} */
export const BENCHES = [
  { id: 'land', draw: 'drawSectionNow', tap: 'tapSection' },
  { id: 'water', draw: 'drawWavesNow', asks: true },
  { id: 'growth', draw: 'drawGrowthNow', asks: true },
  { id: 'air', draw: 'drawAirNow' },
  { id: 'route', draw: 'drawSectionNow', tap: 'tapSection' },
  { id: 'cut', draw: 'drawFilmNow', tap: 'tapFilm' },
];

/**
 * A bench by its name.
 * @param {string} id
 */
export const benchOf = (id) => BENCHES.find((bench) => bench.id === id) || BENCHES[0];
