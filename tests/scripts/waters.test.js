// The drawings of the Water bench, and what is dragged in them.
import assert from 'node:assert/strict';
import { test } from 'node:test';

import { Mark } from './mark.js';

const { drawWaves } = await import('../../studio/static/drawings/waves.js');
const { drawWater } = await import('../../studio/static/drawings/marks.js');
const { waterSets } = await import('../../studio/static/kit/waters.js');

const near = (a, b, by = 1e-6) => assert.ok(Math.abs(a - b) <= by, `${a} is not ${b}`);
const nothing = () => {};
const numbers = (d) => d.match(/-?\d+(\.\d+)?/g).map(Number);

test('waves: the highest energy reaches the top, a still sea says so', () => {
  const svg = new Mark('svg');
  drawWaves(svg, {
    W: 250,
    H: 102,
    spectrum: [
      [0.1, 1],
      [0.2, 4],
      [0.4, 2],
    ],
    words: 'Hs 0.4 m',
  });
  const drawn = numbers(svg.all((m) => m.attrs.fill === 'var(--water)')[0].attrs.d);
  near(drawn[3], 49); // 20 under its words, a line of 29
  near(drawn[2], 134);
  assert.deepEqual(
    svg.all((m) => / s$/.test(m.text)).map((m) => m.text),
    ['3 s', '4 s', '6 s', '10 s'],
  );
  drawWaves(svg, { W: 250, H: 102, spectrum: [], words: 'no water here' });
  assert.equal(svg.textContent, 'no water here');
});

test('waves: shore and tide stand beside the spectrum, and what is dragged says by how much', () => {
  const svg = new Mark('svg'),
    held = [];
  const data = {
    W: 660,
    H: 200,
    spectrum: [
      [0.1, 1],
      [0.2, 4],
      [0.4, 2],
    ],
    words: 'a slight sea',
    peak: { by: 'height', period: 5, height: 1.2, wind: 7 },
    shore: {
      edge: [
        [0, 0],
        [4, 0.5],
        [8, -0.1],
      ],
      run_up: 0.6,
      words: 'a beach',
    },
    tide: {
      curve: [
        [0, -1],
        [6, 1],
        [12, -1],
        [24, 1],
      ],
      range: 2,
      high: 6,
      span: [9, 9.5],
      words: 'a tide',
    },
  };
  drawWaves(svg, data, (name, _, scales) => held.push([name, scales]));
  assert.equal(svg.having('data-shore').length, 1);
  assert.equal(svg.having('data-tide').length, 1);
  const tide = svg.having('data-handle', 'tide')[0],
    curve = numbers(svg.having('data-tide')[0].all((m) => m.attrs.stroke === 'var(--tide)')[0].attrs.d);
  near(Number(tide.attrs.cx), curve[2], 0.06);
  near(Number(tide.attrs.cy), curve[3], 0.06); // it sits on high water
  tide.heard.pointerdown({});
  svg.having('data-handle', 'peak')[0].heard.pointerdown({});
  assert.deepEqual(
    held.map((h) => h[0]),
    ['tide', 'peak'],
  );
  const per = held[0][1];
  near(curve[4] - curve[2], 6 * per.perHour, 0.2);
  near(curve[1] - curve[3], 2 * per.perMetre, 0.2);
});

test("a stream's section: its surface lies over its bed, it says where it shoots, and its depth is dragged", () => {
  const svg = new Mark('svg'),
    held = [];
  const stream = [0, 1, 2, 3].map((k) => [k * 10, 5 - k, 4.9 - k, 4.4 - k, 0.5 + k, 0.3, k > 2 ? 1.4 : 0.4]);
  drawWaves(svg, { W: 500, H: 200, stream, words: 'a stream', depth: 0.3, by: 'slope' }, (name, _, scales) =>
    held.push([name, scales]),
  );
  const surface = numbers(svg.having('data-surface')[0].attrs.d),
    bed = numbers(svg.all((m) => m.attrs.fill === 'var(--contour)')[0].attrs.d);
  for (let k = 0; k < 4; k++) assert.ok(surface[2 * k + 1] < bed[2 * k + 1]);
  assert.equal(svg.all((m) => m.attrs.fill === 'var(--brick)').length, 1);
  const ring = svg.having('data-handle', 'depth')[0];
  ring.heard.pointerdown({});
  near(bed[1] - surface[1], 0.5 * held[0][1].perMetre, 0.2);
});

test('what a drag in a drawing of water sets', () => {
  const one = (name, scales, dx, dy) => waterSets(name, scales, dx, dy, 'brook').map((s) => [s.path, s.value]);
  assert.deepEqual(one('tide', { high: 23, range: 2, perHour: 10, perMetre: 20 }, 30, -20), [
    ['/sea/tide_high', 2],
    ['/sea/tide_range', 4],
  ]);
  assert.deepEqual(one('depth', { depth: 0.3, perMetre: 50 }, 99, -10), [['/waters/brook/depth', 0.5]]);
  assert.deepEqual(one('dug', { depth: 1, perMetre: 10 }, 0, 5), [['/waters/brook/depth', 1.5]]);
  assert.deepEqual(one('depth', { depth: 0.3, perMetre: 50 }, 0, 900), [['/waters/brook/depth', 0.02]]);
  const peak = { by: 'height', height: 1, period: 5, wind: 7, perHertz: 1000, perHeight: 40 };
  assert.deepEqual(one('peak', peak, -100, -40), [
    ['/sea/wave_height', 2],
    ['/sea/wave_period', 10],
  ]);
  assert.deepEqual(one('peak', { ...peak, by: 'wind' }, -100, 40), [['/sea/wind_speed', 3.5]]);
});

test('a water on the chart is picked on its bench alone, and one that cannot lie there is told', () => {
  const draw = (more, live) => {
    const svg = new Mark('svg'),
      water = {
        id: 'b',
        name: 'Brook',
        kind: 'stream',
        line: [
          [0, 0],
          [5, 5],
        ],
        shape: 'M0 0L1 1Z',
        trouble: '',
        ...more,
      };
    drawWater(svg, { water, px: 1, picked: false, live }, { press: nothing, pick: nothing });
    return svg.having('data-water')[0];
  };
  assert.ok(draw({}, true).heard.pointerdown);
  assert.equal(draw({}, false).heard.pointerdown, undefined);
  const lost = draw({ trouble: 'water does not run uphill' }, true);
  assert.match(lost.textContent, /uphill/);
  assert.equal(lost.kids[0].attrs.stroke, 'var(--brick)');
});
