/* Choices that the page itself offers, with their words. */

export const JOINS = [
  ['step', 'holds, then jumps'],
  ['steps', 'in steps'],
  ['straight', 'straight'],
  ['quad_in', 'gently, starts slowly'],
  ['quad_out', 'gently, ends slowly'],
  ['quad_both', 'gently, both ends'],
  ['cubic_in', 'eased, starts slowly'],
  ['cubic_out', 'eased, ends slowly'],
  ['cubic_both', 'eased, both ends'],
  ['sine_in', 'as a sine, starts slowly'],
  ['sine_out', 'as a sine, ends slowly'],
  ['sine_both', 'as a sine, both ends'],
  ['smooth', 'smooth, never past its keys'],
  ['spline', 'a round spline'],
  ['bezier', 'eased by numbers'],
  ['free', 'free handles'],
];

export const BEYOND_WAYS = [
  ['hold', 'holds'],
  ['straight_on', 'goes straight on'],
  ['cycle', 'comes round'],
  ['cycle_offset', 'comes round and goes on'],
  ['mirror', 'runs back and forth'],
];

export const RECIPES = {
  turning: {
    name: 'constant turn',
    text: 'Turns all the time, before and after the clip too.',
    fields: [['turns', 'Turns in the clip', 1]],
  },
  swing: {
    name: 'to and fro',
    text: 'Swings about the value.',
    fields: [
      ['amount', 'To either side', 1],
      ['period', 'There and back, s', 2],
      ['phase', 'Starts at, share', 0],
      ['form', 'Form', 'round', ['round', 'straight', 'held']],
    ],
  },
  sway: {
    name: 'irregular sway',
    text: 'A few uneven keys, closed into a loop; they are ordinary keys afterwards.',
    fields: [
      ['amount', 'To either side', 1],
      ['period', 'Comes round in, s', 4],
      ['keys', 'Keys in a round', 6],
      ['seed', 'Seed', 1],
    ],
  },
  growth: {
    name: 'growth',
    text: 'From nothing to the value: slow, quick, slow, as plants grow; they are ordinary keys afterwards.',
    fields: [
      ['starts', 'Starts at, s', 0],
      ['lasts', 'Lasts, s', 8],
      ['early', 'Below 1 early, above late', 1],
    ],
  },
  drift: {
    name: 'drift',
    text: 'Wanders slowly and smoothly.',
    term: 'wander',
    preset: { rough: 0 },
    fields: [
      ['amount', 'About how far', 1],
      ['per_second', 'Turns back a second', 0.15],
      ['seed', 'Seed', 1],
    ],
  },
  noise: {
    name: 'noise',
    text: 'Wanders quickly, and trembles.',
    term: 'wander',
    preset: {},
    fields: [
      ['amount', 'About how far', 1],
      ['per_second', 'Turns back a second', 2],
      ['rough', 'Rough, 0 to 1', 0.7],
      ['seed', 'Seed', 1],
    ],
  },
  flicker: {
    name: 'flicker',
    text: 'Light that does not burn evenly.',
    fields: [
      ['source', 'As', 'candle', ['candle', 'tube', 'lightning']],
      ['depth', 'Depth, 0 to 1', 0.5],
      ['seed', 'Seed', 1],
    ],
  },
  pulse: {
    name: 'pulse',
    text: 'A bump that comes again and again.',
    fields: [
      ['amount', 'Height', 1],
      ['period', 'Every, s', 2],
      ['start', 'First at, s', 0],
      ['rise', 'Rises in, s', 0.1],
      ['hold', 'Holds, s', 0.2],
      ['fall', 'Falls in, s', 0.5],
    ],
  },
  follow: {
    name: 'follow another value',
    text: 'Does what another value does, later and more or less.',
    fields: [
      ['path', 'Follows', ''],
      ['lag', 'Later by, s', 0.5],
      ['gain', 'Gain', 1],
    ],
  },
};

export const MARKS = [
  ['', 'no frame'],
  ['2.39', '2.39:1'],
  ['1.85', '1.85:1'],
  ['1.3333', '4:3'],
  ['1', 'square'],
  ['0.5625', '9:16'],
];

/** @type {import('../types.js').Part} */
export const words = { JOINS, BEYOND_WAYS, RECIPES, MARKS };
