// @ts-check
/* A pacing curve drawn by hand. */

// few keys that keep the form of a stroke: what is farthest off the straight line between two kept ones is kept next
export function thinnedPace(points) {
  const p = points.sort((a, b) => a[0] - b[0]).filter((q, i, all) => !i || q[0] - all[i - 1][0] > 1e-3),
    keep = new Set([0, p.length - 1]);
  const split = (a, b) => {
    let worst = 0.06,
      at = -1;
    for (let k = a + 1; k < b; k++) {
      const on = p[a][1] + ((p[b][1] - p[a][1]) * (p[k][0] - p[a][0])) / (p[b][0] - p[a][0]),
        off = Math.abs(p[k][1] - on);
      if (off > worst) {
        worst = off;
        at = k;
      }
    }
    if (at > 0) {
      keep.add(at);
      split(a, at);
      split(at, b);
    }
  };
  split(0, p.length - 1);
  return p.filter((_, i) => keep.has(i)).map(([t, v]) => [+t.toFixed(3), +v.toFixed(3)]);
}
