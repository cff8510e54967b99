/* What drawing and dragging keys have in common. */

export const LANE = 22,
  OPEN = 168,
  EDGE = 10;

export const near = (a, b) => Math.abs(a - b) < 2e-4;

// what is drawn while something is dragged: plain objects, since watching thousands of keys costs more than
// drawing them
/** @type {Record<string, any>} */
export const dragged = {
  held: null,
  times: null,
  scale: null,
  sets: {},
  a: 0,
  per: 1,
};

export const keyAt = (k, t, v) => ({
  t,
  v,
  n: k.n,
  join: k.join,
  bezier: k.bezier,
  handles: k.handles,
  steps: k.steps,
  jump: k.jump,
});
