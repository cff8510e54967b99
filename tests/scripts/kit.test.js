// The page's pure functions: cameras, the chart's geometry, timecode, pacing and curves.
import assert from 'node:assert/strict';
import { test } from 'node:test';

import { alongRoute, asText, groundAhead, halfAngle, stepped } from '../../studio/static/kit/camera.js';
import { EASE, bezier, readied } from '../../studio/static/kit/curves.js';
import { everyFourth, lastReady } from '../../studio/static/kit/frames.js';
import { clearPlace, inside, roundLength, viewOf } from '../../studio/static/kit/geometry.js';
import { thinnedPace } from '../../studio/static/kit/pace.js';
import { timecode } from '../../studio/static/kit/timecode.js';

const near = (a, b, by = 1e-9) => assert.ok(Math.abs(a - b) <= by, `${a} is not ${b}`);
const view = { x: 10, y: 20, z: 3, bearing: 90, pitch: 0, focal: 28 };

test('a route is followed between its samples, and turns the shorter way past north', () => {
  const rows = [
    [0, 0, 0, 2, 350, 0, 28],
    [1, 10, 4, 4, 10, -10, 56],
  ];
  const half = alongRoute(rows, 0.5);
  near(half.x, 5);
  near(half.y, 2);
  near(half.bearing % 360, 0);
  near(half.focal, 42);
  near(alongRoute(rows, 2).x, 10);
  assert.equal(alongRoute([rows[0]], 0.7).bearing, 350);
  assert.equal(alongRoute([], 0).z, 6);
});

test('a step goes where the camera looks, and to its right', () => {
  const ahead = stepped(view, 0, 2, 0);
  near(ahead.x, 12);
  near(ahead.y, 20);
  const right = stepped(view, 1, 0, 0.5);
  near(right.y, 19);
  near(right.z, 3.5);
  near(stepped({ ...view, pitch: 90 }, 0, 2, 0).z, 5);
  assert.equal(view.x, 10); // nothing is changed in place
});

test('a camera is written with its roll, and 18 mm see 90 degrees', () => {
  assert.equal(asText({ ...view, roll: 2 }), '10.000,20.000,3.000,90.000,0.000,28.000,2.000');
  assert.equal(asText(view).split(',').at(-1), '0.000');
  near(2 * halfAngle(18), Math.PI / 2);
});

test('the ground ahead is where the middle of the picture meets it, from 3 to 25 m off', () => {
  assert.deepEqual(groundAhead(view), { east: 20, north: 20, up: 1.4 });
  near(groundAhead({ ...view, pitch: -45 }).east, 13); // 1.7 m below: nearer than 3 m
  near(groundAhead({ ...view, pitch: -10 }).east, 10 + 1.7 / Math.tan(Math.PI / 18), 0.01);
});

test('inside a ring, and outside its notch', () => {
  const ring = [
    [0, 0],
    [10, 0],
    [10, 10],
    [5, 2],
    [0, 10],
  ];
  assert.ok(inside(ring, 1, 1) && inside(ring, 9, 5));
  assert.ok(!inside(ring, 5, 6) && !inside(ring, 11, 1));
});

test('a chart shows a route with room about it, or all of the place', () => {
  assert.deepEqual(viewOf([-100, -50, 100, 50], []), { x: 0, y: 0, wide: 200 });
  const close = viewOf(
    [-700, -700, 700, 700],
    [
      [10, 10],
      [12, 10],
    ],
  );
  near(close.wide, 1.9 * 200); // never less than a seventh of the place
  near(
    viewOf(
      [-700, -700, 700, 700],
      [
        [0, 0],
        [600, 0],
      ],
    ).wide,
    1140,
  );
});

test('a scale has a round length', () => {
  assert.deepEqual([90, 100, 0.7, 21, 4999].map(roundLength), [50, 100, 0.5, 20, 2000]);
});

test('a name stands at the first place that hides nothing, or nowhere', () => {
  const taken = [[0, 0, 10, 10]];
  assert.deepEqual(
    clearPlace(
      [
        [5, 5, 12, 12],
        [11, 0, 15, 5],
      ],
      taken,
    ),
    [11, 0, 15, 5],
  );
  assert.equal(clearPlace([[5, 5, 12, 12]], taken), undefined);
});

test('timecode drops labels as SMPTE ST 12-1 says', () => {
  assert.equal(timecode(86399, '24'), '00:59:59:23');
  assert.equal(timecode(1799, '29.97'), '00:00:59;29');
  assert.equal(timecode(1800, '29.97'), '00:01:00;02'); // 00 and 01 are dropped at each minute
  assert.equal(timecode(17982, '29.97'), '00:10:00;00'); // but at each tenth
  assert.equal(timecode(107892, '29.97'), '01:00:00;00');
  assert.equal(timecode(3600, '59.94'), '00:01:00;04');
  assert.equal(timecode(1800, '30'), '00:01:00:00');
});

test('a pacing stroke keeps its form with few keys', () => {
  const line = Array.from({ length: 50 }, (_, i) => [i / 10, 1]);
  assert.deepEqual(thinnedPace(line), [
    [0, 1],
    [4.9, 1],
  ]);
  const bent = Array.from({ length: 50 }, (_, i) => [i / 10, i < 25 ? i / 25 : 1]);
  const kept = thinnedPace(bent);
  assert.ok(kept.length < 6 && kept.some(([t]) => Math.abs(t - 2.5) < 0.11));
});

test('easings meet their ends and their middles', () => {
  for (const [name, ease] of Object.entries(EASE)) {
    near(ease(0), 0, 1e-12);
    near(ease(1), 1, 1e-12);
    if (name.endsWith('_both')) near(ease(0.5), 0.5, 1e-12);
  }
  near(EASE.quad_in(0.5), 0.25);
  near(EASE.cubic_out(0.5), 0.875);
});

test('a Bezier of even shares is the straight line, and one of CSS meets its known middle', () => {
  for (const x of [0.1, 0.5, 0.83]) near(bezier(x, 1 / 3, 2 / 3, 0, 1 / 3, 2 / 3, 1), x, 1e-8);
  near(bezier(0.5, 0.42, 0.58, 0, 0, 1, 1), 0.5, 1e-8); // ease-in-out is symmetrical
});

const lane = (keys, more = {}) =>
  readied({ kind: 'number', before: 'hold', after: 'hold', blend: 'even', keys, ...more });

test('what lies beyond the keys holds, comes round, goes on or turns back', () => {
  const keys = [
    { t: 0, v: 0, join: 'straight' },
    { t: 2, v: 4, join: 'straight' },
  ];
  near(lane(keys).at(3), 4);
  near(lane(keys, { after: 'cycle' }).at(3), 2);
  near(lane(keys, { after: 'cycle_offset' }).at(3), 6);
  near(lane(keys, { after: 'mirror' }).at(2.5), 3);
  near(lane(keys, { after: 'straight_on' }).at(3), 6, 1e-5);
  near(lane(keys, { before: 'cycle_offset' }).at(-1), -2);
});

test('ratios blend by ratios, and a smooth curve stays within its keys', () => {
  const keys = [
    { t: 0, v: 1, join: 'straight' },
    { t: 1, v: 100, join: 'straight' },
  ];
  near(lane(keys, { blend: 'ratio' }).at(0.5), 10, 1e-9);
  const bump = lane([0, 1, 1, 0].map((v, t) => ({ t, v, join: 'smooth' })));
  for (let t = 0; t <= 3; t += 0.05) assert.ok(bump.at(t) >= -1e-9 && bump.at(t) <= 1 + 1e-9);
  near(bump.at(1.5), 1, 1e-9);
});

test('a rehearsal of every fourth frame is known as one, and the last ready frame stands for the next three', () => {
  assert.ok(everyFourth({ 1: 'a', 5: 'b', 21: 'c' }));
  assert.ok(!everyFourth({ 1: 'a', 2: 'b' }) && !everyFourth({ 1: 'a' }));
  const ready = (n) => n % 4 === 1;
  assert.deepEqual(
    [1, 3, 4, 5].map((n) => lastReady(n, ready)),
    [1, 1, 1, 5],
  );
  assert.equal(
    lastReady(9, (n) => n === 5),
    9,
  ); // too long ago
});
