// Drawings are functions of where they draw and of their data: drawn here on a page that only notes what is put on it.
import assert from 'node:assert/strict';
import { readFileSync, readdirSync } from 'node:fs';
import { dirname, join } from 'node:path';
import { test } from 'node:test';
import { fileURLToPath } from 'node:url';

import { Mark } from './mark.js';

const folder = join(dirname(fileURLToPath(import.meta.url)), '..', '..', 'studio', 'static', 'drawings');
const { dayScales, drawSun, nearestHour, onPath } = await import('../../studio/static/drawings/sun.js');
const { drawFilm, filmX } = await import('../../studio/static/drawings/film.js');
const { drawSection, drawSectionHead } = await import('../../studio/static/drawings/section.js');
const { drawWay, drawWedge } = await import('../../studio/static/drawings/way.js');
const { drawGround, drawScale, settleLabels } = await import('../../studio/static/drawings/sheet.js');
const { drawMark, drawStand, outlineOf } = await import('../../studio/static/drawings/marks.js');
const { drawSize } = await import('../../studio/static/drawings/sizes.js');
const { drawLanes } = await import('../../studio/static/drawings/lanes.js');

const near = (a, b, by = 1e-6) => assert.ok(Math.abs(a - b) <= by, `${a} is not ${b}`);
const nothing = () => {};
const numbers = (d) => d.match(/-?\d+(\.\d+)?/g).map(Number);

test('no drawing knows the workspace: no this, no Alpine, nothing imported but the kit', () => {
  const names = readdirSync(folder);
  assert.ok(names.length >= 8);
  for (const name of names) {
    const source = readFileSync(join(folder, name), 'utf8');
    assert.doesNotMatch(source, /\bthis\b\.|Alpine|refs\b/, name);
    for (const [, from] of source.matchAll(/from '(.*?)'/g))
      assert.match(from, /^\.\.\/(kit\/\w+|workspace\/keys_drawn)\.js$/, name);
  }
});

test('the sun stands between two quarters of an hour, and passes north without running back', () => {
  const path = Array.from({ length: 97 }, (_, i) => [i / 4, (i * 10) % 360, i < 48 ? i : 96 - i]);
  const svg = new Mark('svg');
  const data = {
    W: 360,
    H: 100,
    path,
    words: 'a day',
    camera: { bearing: 10, focal: 18 },
    hour: 8.875,
    clock: '08:52',
    moon: [],
    moon_now: null,
    sun_by: 'date',
    span: [8.5, 9.5],
  };
  drawSun(svg, data, () => {});
  const disc = svg.having('r', 7)[0];
  near(Number(disc.attrs.cx), 355); // between 350 and 360 degrees
  near(Number(disc.attrs.cy), 72 - (35.5 / 90) * 68);
  assert.match(svg.textContent, /sun 35\.5° up, bearing 355° at 08:52 · a day/);
  const seen = svg.all((m) => m.attrs.fill === 'var(--tide)')[0];
  near(Number(seen.attrs.x), 325); // 18 mm sees 45 degrees to either side of a bearing of 10
  near(Number(seen.attrs.width), 90);
  const line = svg.having('d')[0].attrs.d;
  assert.equal(
    line.match(/M/g).length,
    1 + path.filter((p, i) => i && Math.abs(p[1] - path[i - 1][1]) >= 180).length,
  );
});

test('the moon has its own path, and an hour is found again where it lies on the drawing', () => {
  const path = Array.from({ length: 97 }, (_, i) => [i / 4, (i * 3.6) % 360, 40 - Math.abs(i - 48)]),
    moon = Array.from({ length: 49 }, (_, i) => [i / 2, (100 + i * 5) % 360, 20 - Math.abs(i - 20)]),
    scales = dayScales(720, 200);
  for (const hour of [3, 9.5, 17.25]) {
    const [az, e] = onPath(path, hour);
    near(nearestHour(path, scales, scales.X(az), scales.Y(e)), hour, 0.1);
    near(scales.azimuth(scales.X(az)), az);
    near(scales.height(scales.Y(e)), e);
  }
  const svg = new Mark('svg');
  drawSun(
    svg,
    {
      W: 720,
      H: 200,
      path,
      moon,
      moon_now: [0, 0, 0.3],
      moon_words: 'crescent, 30 % lit',
      words: 'a day',
      camera: { bearing: 10, focal: 18 },
      hour: 9.5,
      clock: '09:30',
      sun_by: 'date',
      moon_by: 'date',
      span: [9, 9],
    },
    () => {},
  );
  const [disc] = svg.having('data-heaven', 'moon');
  near(Number(disc.attrs.cx), scales.X(onPath(moon, 9.5)[0]));
  assert.match(svg.textContent, /moon 19° up, crescent, 30 % lit/);
});

const film = {
  frames: 100,
  rate: 25,
  fps: '25',
  cut: true,
  fade_in: 10,
  fade_out: 0,
  pieces: [
    { id: 'a', name: 'dawn', begins: 1, ends: 61, first: 1, last: 60, join: 'dissolve' },
    { id: 'b', name: 'pine', begins: 49, ends: 101, first: 5, last: 56, join: 'cut' },
  ],
};

test('the film: pieces stand where their frames are, and keys move, pick and drop them', () => {
  const svg = new Mark('svg'),
    done = [];
  const act =
    (name) =>
    (...args) =>
      done.push([name, ...args.map((a) => a.id ?? a)]);
  const acts = { drag: nothing, pick: act('pick'), drop: act('drop'), turn: act('turn') };
  const head = drawFilm(svg, { W: 220, H: 140, film, selected: 'b', ready: { 1: 1, 2: 1 }, at: 51 }, acts);
  const [a, b] = svg.having('data-piece');
  near(Number(a.kids[0].attrs.x), 10.5);
  near(Number(b.kids[0].attrs.x), filmX(film, 220, 49) + 0.5);
  near(filmX(film, 220, 101), 210);
  assert.equal(a.kids[0].attrs['stroke-width'], '1');
  assert.equal(b.kids[0].attrs['stroke-width'], '2'); // picked
  assert.equal(svg.having('id', 'film-ready')[0].attrs['data-ready'], '2');
  assert.equal(head.attrs.transform, 'translate(110 0)');
  const key = (name) => ({ key: name, preventDefault: nothing, stopPropagation: nothing });
  b.heard.keydown(key('Enter'));
  b.heard.keydown(key('ArrowLeft'));
  b.heard.keydown(key('Delete'));
  assert.deepEqual(done, [
    ['pick', 'b'],
    ['turn', 'b', 0],
    ['drop', 'b'],
  ]);
  assert.match(svg.textContent, /^100 frames, 4\.0 s at 25 a second, 2 pieces/);
});

test('a film that cannot be joined says why, and nothing else', () => {
  const svg = new Mark('svg');
  const data = { W: 220, H: 140, film: { ...film, fault: 'too short to dissolve' }, selected: '', ready: {}, at: 1 };
  assert.equal(drawFilm(svg, data, {}), null);
  assert.equal(svg.kids.length, 1);
  assert.equal(svg.kids[0].kids[0].textContent, 'too short to dissolve');
});

// seconds, east, north, up, bearing, pitch, focal, ground, speed, turning
const rows = Array.from({ length: 11 }, (_, i) => [i, i * 2, i, 3 + (i === 5 ? 2 : 0), 90, 0, 28, 1, 2, i * 4]);
const route = {
  fault: '',
  samples: rows,
  changes: [4.5],
  stations: [
    { id: 's1', t: 0, up: 3, east: 0, north: 0, join: 'move' },
    { id: 's2', t: null, up: 3, east: 9, north: 9, join: 'cut' },
    { id: 's3', t: 10, up: 3, east: 20, north: 10, join: 'move', name: 'end' },
  ],
};
const section = {
  W: 200,
  H: 200,
  route,
  seconds: 10,
  range: null,
  pacing: false,
  selected: 's3',
  walks: false,
  wrong: [],
};

test('the section: heights to scale, a station without a time left out, a press handed on', () => {
  const svg = new Mark('svg'),
    pressed = [];
  const drawn = drawSection(svg, section, (e, st) => pressed.push(st.id));
  const camera = numbers(svg.having('data-camera')[0].attrs.d),
    up = (i) => camera[2 * i + 1];
  near(up(0) - up(5), 2 * drawn.perMetre, 0.11);
  assert.deepEqual(
    svg.having('data-height').map((m) => m.attrs['data-height']),
    ['s1', 's3'],
  );
  svg.having('data-height', 's3')[0].heard.pointerdown({});
  assert.deepEqual(pressed, ['s3']);
  near(drawn.scale.mean, 2);
  const [lo, hi] = drawn.range;
  assert.ok(lo < 1 && hi > 5);
  const kept = drawSection(new Mark('svg'), { ...section, range: [0, 10] }, nothing);
  assert.deepEqual(kept.range, [0, 10]); // while a station is dragged the scale stands
});

test('the head reads off what is there, and cuts long faults to the room', () => {
  const drawn = drawSection(new Mark('svg'), section, nothing);
  drawSectionHead(drawn, { x: 100, r: rows[5], here: [], wide: 400 });
  assert.equal(drawn.sectionText.textContent, 'section: camera 4.0 m over what is below');
  assert.equal(drawn.paceText.textContent, 'pace 2.0 m/s, turning 20°/s (dashed)');
  assert.equal(drawn.head.attrs.x1, '100');
  const long = { kind: 'close', text: 'x'.repeat(99) };
  drawSectionHead(drawn, { x: 1, r: rows[0], here: [long], wide: 142 });
  assert.equal(drawn.sectionText.textContent, 'x'.repeat(17) + '…');
  drawSectionHead(drawn, { x: 1, r: rows[0], here: [long, { ...long, kind: 'fast' }, long], wide: 142 });
  assert.equal(drawn.sectionText.textContent, 'close, fast');
});

test('faults are shaded once however many say so, and each has its bar in a row that is free', () => {
  const svg = new Mark('svg');
  const wrong = [
    { kind: 'close', text: 'a', from_s: 1, to_s: 4 },
    { kind: 'fast', text: 'b', from_s: 2, to_s: 5 },
    { kind: 'turn', text: 'c', from_s: 6, to_s: 7 },
  ];
  drawSection(svg, { ...section, wrong }, nothing);
  const shades = svg.all((m) => m.attrs['fill-opacity'] === '0.1').map((m) => [+m.attrs.x, +m.attrs.width]);
  assert.deepEqual(shades, [
    [20, 60],
    [80, 20],
    [120, 20],
  ]);
  const bars = svg.having('data-fault').map((m) => numbers(m.attrs.d)[1]);
  assert.deepEqual(bars, [198, 194, 198]);
});

test('a route without stations, or that cannot be laid, says so', () => {
  for (const [change, words] of [
    [{ samples: [] }, /once the route has a station/],
    [{ fault: 'no way round the hill' }, /no way round the hill/],
  ]) {
    const svg = new Mark('svg');
    assert.equal(drawSection(svg, { ...section, route: { ...route, ...change } }, nothing), null);
    assert.match(svg.textContent, words);
  }
});

test('the way is broken where it cuts; a view seen already is taken at the second press of Enter', () => {
  const g = new Mark('g'),
    picked = [];
  const views = [{ id: 'v', name: 'the reeds', east: 1, north: 2 }];
  const data = { route, wrong: [{ kind: 'fast', from_s: 6, to_s: 8 }], views, viewShown: 'v', selected: 's3', px: 1 };
  const acts = { pickView: (v, again) => picked.push([v.id, again]), keyStation: nothing };
  const wedge = drawWay(g, { ...data, aimPoint: () => [5, 5] }, acts);
  const d = g.having('data-route')[0].attrs.d;
  assert.equal(d.match(/M/g).length, 2);
  assert.ok(d.includes('M10 -5')); // the row after the cut begins a line of its own
  assert.equal(g.having('data-station').length, 3);
  assert.equal(g.having('data-aim').length, 1); // of the picked station alone
  assert.equal(g.having('data-station', 's2')[0].all((m) => m.attrs.opacity === '0.4').length, 1);
  assert.equal(numbers(g.having('data-fault')[0].attrs.d).length, 6);
  g.having('data-view')[0].heard.keydown({ key: 'Enter', preventDefault: nothing, stopPropagation: nothing });
  assert.deepEqual(picked, [['v', true]]);
  drawWedge(wedge, { camera: { x: 0, y: 0, bearing: 0, focal: 18 }, px: 1 });
  const [, , ax, ay, , , , , , bx] = numbers(wedge.having('data-wedge')[0].attrs.d);
  near(ax, -62 * Math.SQRT1_2, 1e-9); // 18 mm sees 45 degrees to either side
  near(ay, -62 * Math.SQRT1_2, 1e-9);
  near(bx, 62 * Math.SQRT1_2, 1e-9);
});

test('names give way to marks and to one another', () => {
  const name = (words, x, y) => {
    const text = new Mark('text');
    text.setAttribute('data-label', `${x},${y}`);
    text.setAttribute('font-size', 10);
    text.append(words);
    return text;
  };
  const crowd = Array.from({ length: 9 }, (_, i) => name(`name ${i}`, 0, 0));
  settleLabels(crowd, { spots: [[0, 0]], px: 1 });
  const seen = crowd.filter((t) => t.attrs.visibility === 'visible');
  assert.ok(seen.length >= 2 && seen.length < 9);
  const boxes = seen.map((t) => [+t.attrs.x, +t.attrs.y - 8, +t.attrs.x + 33, +t.attrs.y + 2]);
  for (const [i, p] of boxes.entries())
    for (const q of [...boxes.slice(i + 1), [-6, -6, 6, 6]])
      assert.ok(p[0] >= q[2] || p[2] <= q[0] || p[1] >= q[3] || p[3] <= q[1], `${p} over ${q}`);
});

test('the sheet: contours and water as they come, a scale of a round length, north turned', () => {
  const svg = new Mark('svg');
  const chart = { bounds: [-10, -20, 30, 40], water: 'M0 0L1 1Z', lines: [{ d: 'M1 1L2 2', index: true }] };
  drawGround(svg, { chart, px: 2 });
  const land = svg.kids[0].attrs;
  assert.deepEqual([land.x, land.y, land.width, land.height], ['-10', '-40', '40', '60']);
  assert.equal(svg.having('d').length, 2);
  near(Number(svg.having('d', 'M1 1L2 2')[0].attrs['stroke-width']), 2.2);
  drawScale(svg, { box: [0, 0, 400, 300], px: 1, north: 12, interval: 5 });
  assert.match(svg.textContent, /(\d+) m/);
  assert.match(svg.textContent, /contours every 5 m/);
  assert.match(svg.all((m) => /^rotate/.test(m.attrs.transform || ''))[0].attrs.transform, /^rotate\(12 /);
});

test('a lamp is round, a thing is not; a stand outside growth cannot be reached by the keyboard', () => {
  const svg = new Mark('svg'),
    picked = [];
  const acts = { pick: (m) => picked.push(m.id), drag: nothing, press: nothing };
  drawMark(svg, { m: { id: 'l', of: 'lamps', name: 'lantern' }, at: [3, 4], on: false, named: true, px: 1 }, acts);
  drawMark(svg, { m: { id: 't', of: 'things', name: 'boat' }, at: [3, 4], on: true, named: false, px: 1 }, acts);
  const [lamp, thing] = svg.kids;
  assert.equal(lamp.having('cy', -4).length, 1);
  assert.equal(thing.having('cy').length, 0);
  assert.equal(lamp.textContent, 'lantern');
  assert.equal(thing.textContent, '');
  thing.heard.keydown({ key: 'Enter', preventDefault: nothing, stopPropagation: nothing });
  assert.deepEqual(picked, ['t']);
  const st = {
    id: 'r',
    name: 'reeds',
    kind: 'reed',
    area: [
      [0, 0],
      [40, 0],
      [40, 40],
      [0, 40],
    ],
    dots: [[1, 1, 0.2]],
  };
  for (const live of [true, false]) {
    const on = new Mark('svg');
    drawStand(on, { st, picked: false, live, px: 1 }, acts);
    assert.equal('tabindex' in on.kids[0].attrs, live);
    assert.equal(on.having('points').length, live ? 1 : 0);
    near(Number(on.having('r')[0].attrs.r), 1.6); // never smaller than can be seen
    const tufts = numbers(on.all((m) => m.attrs['stroke-opacity'] === '0.55')[0].attrs.d);
    assert.ok(tufts.length > 12);
  }
});

test('lanes: handles can be gripped where they are drawn, and a bracket lies over picked keys', () => {
  const calls = [];
  const g = new Proxy(
    {},
    {
      get: (known, name) => known[name] ?? ((...args) => calls.push([name, ...args])),
      set: (known, name, value) => ((known[name] = value), true),
    },
  );
  const keys = [
    { t: 0, v: 0, join: 'free', handles: [0.25, 1, 0.75, -1] },
    { t: 10, v: 10, join: 'straight' },
  ];
  const lane = { path: '/a', kind: 'number', unit: 'm', blend: '', samples: null };
  const data = {
    W: 100,
    H: 200,
    k: 1,
    rows: [{ y: 0, high: 168, lane }],
    top: 0,
    colours: {},
    seconds: 10,
    band: null,
    dragged: { sets: { '/a': [0, 1e5] }, times: null, held: null, scale: null },
    valueZoom: [0, 10],
    lineX: (t) => t * 10,
    lineT: (x) => x / 10,
    span: () => ({ a: 0, b: 10 }),
    keysOf: () => keys,
    curve: () => ({ at: (t) => t, first: 0, last: 10 }),
    isPicked: () => true,
    number: (v) => String(v),
  };
  const found = drawLanes(g, data);
  assert.deepEqual(found.bracket, { a: 0, b: 100, from: 0, to: 10 });
  assert.equal(found.grips.length, 2);
  const [out, into] = found.grips;
  near(out.x, 25);
  near(found.openScale.V(out.y), 1);
  near(into.x, 75);
  near(found.openScale.V(into.y), 9);
  near(found.openScale.V(found.openScale.Y(3.7)), 3.7);
  assert.ok(calls.some(([name]) => name === 'lineTo'));
  assert.equal(drawLanes(g, { ...data, dragged: { ...data.dragged, sets: { '/a': [0] } } }).bracket, null);
});

test('a model is drawn by its outline where it stands, turned clockwise and scaled', () => {
  const ring = [
    [0, 0],
    [4, 0],
    [4, 2],
    [0, 0],
  ];
  const m = { id: 'm', name: 'boat', of: 'things', rings: [ring], turn: 80, scale: 0.5 };
  const { d, size } = outlineOf(m, [10, 20], 10); // the place's north is turned by the rest of a right angle
  const points = [...d.matchAll(/(-?[\d.]+) (-?[\d.]+)/g)].map((p) => [Number(p[1]), Number(p[2])]);
  // two metres that lay to the east lie to the south after a quarter turn; y is minus north
  assert.deepEqual(points, [
    [10, -20],
    [10, -18],
    [11, -18],
    [10, -20],
  ]);
  assert.equal(size, 2);
  const svg = new Mark('svg');
  const said = { m, at: [10, 20], on: false, named: true, px: 0.1, north: 10 };
  drawMark(svg, said, {});
  assert.equal(svg.having('data-outline').length, 1);
  assert.equal(svg.all((x) => x.tag === 'path').length, 1); // it is larger than a mark would be
  const far = new Mark('svg');
  drawMark(far, { ...said, px: 4 }, {});
  assert.equal(far.all((x) => x.tag === 'path').length, 2); // and smaller than one
});

test('a model stands beside a person at the size that it may have', () => {
  const front = [
    [
      [-100, 0],
      [100, 0],
      [100, 350],
      [-100, 350],
    ],
  ];
  const svg = new Mark('svg');
  drawSize(svg, { front, scale: 0.01, width: 120, height: 64 });
  const tall = (mark) => {
    const ys = [...mark.attrs.d.matchAll(/ (-?[\d.]+)/g)].map((y) => Number(y[1]));
    return Math.max(...ys) - Math.min(...ys);
  };
  const [model] = svg.having('data-front'),
    [person] = svg.having('data-person');
  const metre = Number(person.attrs.transform.match(/scale\(([\d.]+)/)[1]) / 1.75;
  assert.ok(Math.abs(tall(model) - 3.5 * metre) < 0.1, `${tall(model)} for ${3.5 * metre}`); // twice a person
  assert.ok(Math.abs(tall(model) - 58) < 0.1); // and as tall as the box lets it
});
