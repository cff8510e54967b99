/* The Air bench: sun and moon taken by hand, looks through the day, and the light meter. */
import { drawSounding } from '../drawings/sounding.js';
import { dayScales, drawSun, nearestHour } from '../drawings/sun.js';
import { drawBank } from '../drawings/marks.js';
import { el, pointerDrag, refs } from '../kit/dom.js';

const HOURS = [0, 2, 4, 5, 6, 8, 10, 12, 14, 16, 18, 19, 20, 21, 22, 23];
const READINGS = 25;

/** An hour as a clock shows it. */
const asClock = (hour) => {
  const minutes = Math.round(hour * 60) % 1440;
  return `${String(Math.floor(minutes / 60)).padStart(2, '0')}:${String(minutes % 60).padStart(2, '0')}`;
};

/** @type {import('../types.js').Part} */
export const air = {
  dayLooks: [], // hour, picture's address, exposure
  dayRun: 0, // grows with every strip that is begun: an older one stops
  daySkyline: null,
  meterKind: 'average',
  meterStays: 0.3,
  meterSmooth: 0.4,
  meterSpot: [0.5, 0.5],
  meterRead: [], // clip time, exposure
  meterKeys: [],
  meterRuns: false,

  soundingTold: null, // the air by its height, as it was told last
  soundingAsked: '',
  soundingTimer: 0,

  drawAirNow(svg, W, H) {
    if (this.tabNow() === 'clouds') this.drawSoundingNow(svg, W, H);
    else this.drawSunNow(svg, W, H);
  },
  // drawn as it was told last, and again when the answer for this revision, instant and view is there
  drawSoundingNow(svg, W, H) {
    const told = Alpine.raw(this.soundingTold);
    if (told) {
      const scales = drawSounding(svg, { W, H, ...told }, (what, e, shown) => this.dragAir(what, e, shown, scales));
    }
    const q = new URLSearchParams({ shot: this.s.shot.id, t: this.t.toFixed(4) });
    if (this.cam) q.set('cam', this.cameraText());
    const asked = `${this.s.rev} ${q}`;
    if (asked === this.soundingAsked || this.playing || this.held) return;
    this.soundingAsked = asked;
    // a playhead that is drawn along asks once, where it stays
    clearTimeout(this.soundingTimer);
    this.soundingTimer = setTimeout(() => this.askSounding(asked, q), 150);
  },
  askSounding(asked, q) {
    fetch(this.url(`aloft/?${q}`))
      .then(async (reply) => {
        const said = await reply.json();
        if (asked !== this.soundingAsked) return;
        if (!reply.ok) {
          this.say(said.error);
          return;
        }
        this.soundingTold = said;
        if (this.bench === 'air') this.drawDrawing();
      })
      .catch(() => this.say('The air cannot be drawn: the server cannot be reached.'));
  },
  // a height of clouds: read off while it goes, stored when it is let go
  dragAir(what, e, shown, scales) {
    e.preventDefault();
    e.stopPropagation();
    const { low, high, path } = Alpine.raw(this.soundingTold),
      box = refs.drawing.getBoundingClientRect(),
      names = { base: 'Base', top: 'Tops', high: 'Ice clouds' };
    let set = null;
    const round = (z) => (z > 1000 ? Math.round(z / 50) * 50 : Math.round(z / 10) * 10);
    const move = (m) => {
      const z = round(scales.height(m.clientY - box.top));
      if (what === 'base') set = [`${path}/low/base`, Math.min(6000, Math.max(20, z))];
      else if (what === 'top') set = [`${path}/low/thick`, Math.min(6000, Math.max(30, z - low.base))];
      else set = [`${path}/high/height`, Math.min(15000, Math.max(2000, z))];
      for (const one of shown) one.setAttribute('transform', `translate(0 ${m.clientY - e.clientY})`);
      const height = what === 'top' ? low.base + set[1] : set[1];
      this.say(`${names[what]} ${height} m${what === 'high' && high ? '' : ' over the datum'}`);
    };
    const up = () => {
      for (const one of shown) one.removeAttribute('transform');
      this.say('');
      if (set) this.send({ typed: this.typedOf(set[0], String(set[1])) });
    };
    pointerDrag(move, up);
  },

  drawSunNow(svg, W, H) {
    const now = this.hourAt(this.t),
      day = Alpine.raw(this.s).day,
      start = new Date(day.start + 'Z'),
      from = start.getUTCHours() + start.getUTCMinutes() / 60,
      runs = day.clock.at(-1) / 3600;
    drawSun(
      svg,
      {
        W,
        H,
        ...day,
        camera: this.camera(),
        hour: now.getUTCHours() + now.getUTCMinutes() / 60,
        clock: this.clockAt(this.t),
        span: runs >= 0 ? [from, from + runs] : [from + runs, from],
        skyline: this.daySkyline,
      },
      (what, e) => this.dragHeaven(what, e, dayScales(W, H)),
    );
  },
  // the sun along its day, or where it is set by hand; the moon where it is set by hand
  dragHeaven(what, e, scales) {
    e.preventDefault();
    e.stopPropagation();
    const box = refs.drawing.getBoundingClientRect(),
      day = Alpine.raw(this.s).day,
      ring = /** @type {SVGElement} */ (e.target),
      byHand = what === 'moon' || day.sun_by === 'hand';
    let hour = null,
      place = null;
    const move = (m) => {
      const x = m.clientX - box.left,
        y = m.clientY - box.top;
      ring.setAttribute('transform', `translate(${m.clientX - e.clientX} ${m.clientY - e.clientY})`);
      if (byHand) {
        place = [Math.round(scales.azimuth(x) * 2) / 2, Math.round(scales.height(y) * 2) / 2];
        this.say(`The ${what} at bearing ${place[0]}°, ${place[1]}° up`);
      } else {
        hour = Math.round(nearestHour(day.path, scales, x, y) * 12) / 12;
        this.say(`The sun at ${asClock(hour)}`);
      }
    };
    const up = () => {
      ring.removeAttribute('transform');
      this.say('');
      if (place) {
        const edits = [
          { op: 'set', path: `${day.heavens}/${what}_bearing`, value: place[0] },
          { op: 'set', path: `${day.heavens}/${what}_height`, value: place[1] },
        ];
        this.command({ op: 'several', edits, label: `the ${what} at bearing ${place[0]}°, ${place[1]}° up` });
      } else if (hour !== null) this.showHour(hour);
    };
    pointerDrag(move, up);
  },
  // the shot shows this hour at the playhead
  showHour(hour) {
    const day = this.hourAt(this.t).toISOString().slice(0, 10);
    this.startAt(`${day}T${asClock(hour)}:00`);
  },
  asClock,
  async showDay() {
    const run = ++this.dayRun;
    this.dayLooks = [];
    this.nextWish(); // the look waits meanwhile
    const about = new URLSearchParams({ shot: this.s.shot.id, t: this.t.toFixed(4) });
    if (this.cam) about.set('cam', this.cameraText());
    for (const hour of HOURS) {
      this.setBusy(`looking at ${asClock(hour)} …`);
      const reply = await fetch(this.url(`hour/?${about}&hour=${hour}`)).catch(() => null);
      if (run !== this.dayRun) return;
      if (!reply || !reply.ok) {
        const said = reply ? await reply.json().catch(() => ({})) : {};
        this.say(said.error || 'The looks through the day could not be made.');
        break;
      }
      const picture = URL.createObjectURL(await reply.blob());
      this.dayLooks = [...this.dayLooks, { hour, picture, ev: Number(reply.headers.get('X-Exposure')) }];
    }
    this.setBusy('');
    this.look();
    const seen = await fetch(this.url(`skyline/?${about}`)).catch(() => null);
    if (seen && seen.ok && run === this.dayRun) {
      this.daySkyline = (await seen.json()).skyline;
      this.drawDrawing();
    }
  },
  hideDay() {
    this.dayRun += 1;
    for (const one of this.dayLooks) URL.revokeObjectURL(one.picture);
    this.dayLooks = [];
    this.daySkyline = null;
    this.setBusy('');
    this.drawDrawing();
  },
  drawBanks(svg, px) {
    // one that is in another shot alone is not drawn
    const here = (bank) => !bank.only || bank.only === this.s.shot.id || bank.id === this.selected;
    for (const bank of this.chart.banks.filter(here))
      drawBank(svg, { bank, px, picked: bank.id === this.selected }, (one) => this.select(one.id));
  },
  bankDrawn(area) {
    if (area.length < 3) {
      this.say('A bank of fog needs at least three corners.');
      this.drawChart();
      return;
    }
    const ids = this.chart.banks.map((b) => b.id);
    let k = 1;
    while (ids.includes(`bank${k}`)) k++;
    const item = { id: `bank${k}`, name: `Bank ${k}`, area, seed: k };
    this.command({ op: 'add', to: 'banks', item }).then((ok) => ok && this.select(item.id));
  },
  openMeter() {
    this.setDialog('meter');
    this.meterRead = [];
    this.meterKeys = [];
  },
  setMeter(name, value) {
    this[name] = value;
    this.offerExposure();
  },
  async readMeter() {
    if (this.meterRuns) {
      this.meterRuns = false;
      return;
    }
    this.meterRuns = true;
    this.nextWish(); // the look waits meanwhile
    this.meterRead = [];
    this.meterKeys = [];
    const shot = this.s.shot;
    for (let k = 0; k < READINGS && this.meterRuns; k++) {
      const t = (shot.seconds * k) / (READINGS - 1);
      if (shot.loop && k === READINGS - 1) {
        this.meterRead = [...this.meterRead, [t, this.meterRead[0][1]]];
        break;
      }
      const [u, v] = this.meterSpot,
        q = new URLSearchParams({ shot: shot.id, t: t.toFixed(5), meter: this.meterKind, u: `${u}`, v: `${v}` }),
        reply = await fetch(this.url(`meter/?${q}`)).catch(() => null),
        said = reply ? await reply.json().catch(() => ({ error: 'The meter could not be read.' })) : {};
      if (!said || said.error || said.ev === undefined) {
        this.say(said.error || 'The server cannot be reached.');
        break;
      }
      this.meterRead = [...this.meterRead, [t, said.ev]];
      this.drawMeter();
    }
    const whole = this.meterRead.length === READINGS;
    this.meterRuns = false;
    if (whole) await this.offerExposure();
    this.look();
  },
  async offerExposure() {
    if (this.meterRead.length < READINGS) return;
    const said = await this.form('exposed/', this.meterForm());
    this.meterKeys = said.keys || [];
    this.drawMeter();
  },
  meterForm() {
    return { read: JSON.stringify(this.meterRead), stays: this.meterStays, smooth: this.meterSmooth };
  },
  async useExposure() {
    const said = await this.form('exposed/', { ...this.meterForm(), use: 1 });
    if (!said.error) this.setDialog('');
  },
  async aDay() {
    const said = await this.form('a-day/', { seconds: 10 });
    if (!said.error) {
      this.openMeter();
      this.readMeter();
    }
  },
  // what was read (dots), and what is offered (line)
  drawMeter() {
    const svg = refs.meter;
    if (!svg) return;
    svg.replaceChildren();
    const W = 520,
      H = 150,
      read = Alpine.raw(this.meterRead),
      keys = Alpine.raw(this.meterKeys),
      all = [...read, ...keys].map((p) => p[1]);
    if (!all.length) return;
    const low = Math.floor(Math.min(...all) - 0.5),
      high = Math.ceil(Math.max(...all) + 0.5),
      X = (t) => 34 + (t / this.s.shot.seconds) * (W - 44),
      Y = (ev) => 8 + ((high - ev) / (high - low)) * (H - 24);
    const step = Math.max(1, Math.round((high - low) / 5));
    for (let ev = low; ev <= high; ev += step)
      svg.append(
        el('line', { x1: 34, x2: W - 10, y1: Y(ev), y2: Y(ev), stroke: 'var(--rule)' }),
        el('text', { x: 4, y: Y(ev) + 4, 'font-size': 11, fill: 'var(--faint)' }, `${ev}`),
      );
    if (keys.length) {
      const d = keys.map((p, i) => `${i ? 'L' : 'M'}${X(p[0]).toFixed(1)} ${Y(p[1]).toFixed(1)}`).join('');
      svg.append(el('path', { d, fill: 'none', stroke: 'var(--amber)', 'stroke-width': 2 }));
      for (const p of keys)
        svg.append(el('rect', { x: X(p[0]) - 3, y: Y(p[1]) - 3, width: 6, height: 6, fill: 'var(--amber)' }));
    }
    for (const p of read)
      svg.append(el('circle', { cx: X(p[0]), cy: Y(p[1]), r: 2.5, fill: 'none', stroke: 'var(--ink)' }));
    svg.append(
      el(
        'text',
        { x: W - 46, y: H - 2, 'font-size': 11, fill: 'var(--faint)' },
        `${this.s.shot.seconds.toFixed(1)} s`,
      ),
    );
  },
};
