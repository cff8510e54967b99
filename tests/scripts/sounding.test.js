// The air by its height: the section of clouds and fog, and the wind beside it.
import assert from 'node:assert/strict';
import { test } from 'node:test';
import { Mark } from './mark.js';

const { drawSounding, heightScales } = await import('../../studio/static/drawings/sounding.js');

const near = (a, b, by = 1e-6) => assert.ok(Math.abs(a - b) <= by, `${a} is not ${b}`);
const data = {
  W: 700,
  H: 220,
  ground: 2,
  eye: 5,
  wind: [
    [2, 4.1],
    [10, 6],
    [100, 8.4],
    [1000, 12.3],
    [9000, 24],
  ],
  low: { oktas: 4, base: 900, thick: 700 },
  high: { amount: 3, height: 9000 },
  fog: { base: 0, height: 60, sight: 25000 },
  words: ['sight 21.0 km', 'level ground 80 000 lx'],
};

test('a height is found again where it lies, and low ones have more room', () => {
  const scales = heightScales(220, 2, 10000);
  for (const z of [2, 40, 900, 5000, 10000]) near(scales.height(scales.Y(z)), z, 1e-6 * (1 + z));
  assert.ok(scales.Y(2) - scales.Y(102) > scales.Y(5000) - scales.Y(5100));
  assert.ok(scales.Y(10000) > 20 && scales.Y(2) <= 206);
});

test('base, tops and ice clouds are drawn at their heights, and can be taken hold of', () => {
  const svg = new Mark('svg'),
    held = [];
  const scales = drawSounding(svg, data, (what) => held.push(what));
  for (const [what, z] of [
    ['base', 900],
    ['top', 1600],
    ['high', 9000],
  ]) {
    const [grip] = svg.having('data-air', what);
    near(Number(grip.attrs.y) + 6, scales.Y(z), 1e-9);
    grip.heard.pointerdown({});
  }
  assert.deepEqual(held, ['base', 'top', 'high']);
  assert.match(svg.textContent, /base 900 m/);
  assert.match(svg.textContent, /tops 1\.6 km/);
  assert.match(svg.textContent, /sight 21\.0 km · level ground 80 000 lx/);
});

test('the wind goes up with its speeds beside it; nothing is held where there are no clouds', () => {
  const svg = new Mark('svg');
  drawSounding(svg, { ...data, low: null, high: null }, () => {});
  const [line] = svg.having('data-wind');
  const at = line.attrs.d.match(/-?\d+(\.\d+)?/g).map(Number);
  assert.equal(at.length, 8); // what is higher than the drawing is left out
  for (let k = 2; k < at.length; k += 2) assert.ok(at[k] > at[k - 2] && at[k + 1] < at[k - 1]);
  assert.equal(svg.having('data-air').length, 0);
  assert.match(svg.textContent, /4\.1.*8\.4.*12wind/s);
});

test('fog is a band up to where it has thinned to a third, the denser the thicker', () => {
  const dense = (sight) => {
    const svg = new Mark('svg');
    drawSounding(svg, { ...data, fog: { base: 0, height: 60, sight } }, () => {});
    return svg.having('x', 46).filter((m) => m.tag === 'rect' && m.attrs.fill === 'var(--contour)');
  };
  assert.equal(dense(25000).length, 1); // the ground alone
  assert.equal(dense(800).length, 2);
  assert.ok(Number(dense(300)[0].attrs['fill-opacity']) > Number(dense(3000)[0].attrs['fill-opacity']));
});
