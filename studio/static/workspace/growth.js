/* The Growth bench: the plant sheet under the chart, and stands, ways and single plants on it. */
import { drawFront, drawGroundWay } from '../drawings/marks.js';
import { drawPlant } from '../drawings/plant.js';
import { clamp, el, pointerDrag, refs } from '../kit/dom.js';

const FRAMES = 24;

/** @type {import('../types.js').Part} */
export const growth = {
  plantAsked: 0,
  plantTurn: 0,
  plantPlays: 0,
  plantTold: null,
  silhouetteComes: false,

  showsPlant() {
    return this.bench === 'growth' && !!this.standPicked();
  },
  plantWords() {
    const told = this.plantTold;
    return told ? `${told.kind}, ${told.height.toFixed(told.height < 2 ? 2 : 1)} m` : '';
  },
  async keepSilhouette() {
    this.silhouetteComes = true;
    const reply = await fetch(this.plantUrl('silhouette/'));
    this.silhouetteComes = false;
    if (!reply.ok) {
      this.say('The silhouette could not be made.');
      return;
    }
    const link = document.createElement('a');
    link.href = URL.createObjectURL(await reply.blob());
    link.download = `${this.selected}-silhouette.zip`;
    link.click();
    setTimeout(() => URL.revokeObjectURL(link.href), 10000);
  },

  standPicked() {
    return this.chart && this.chart.stands.find((stand) => stand.id === this.selected);
  },
  plantUrl(what, more = {}) {
    const q = new URLSearchParams({
      shot: this.s.shot.id,
      t: this.t.toFixed(3),
      turn: String(Math.round(this.plantTurn)),
      rev: String(this.s.rev),
      ...more,
    });
    return this.url(`plant/${encodeURIComponent(this.selected)}/${what}?${q}`);
  },
  async drawGrowthNow(svg, W, H) {
    if (!this.standPicked()) {
      svg.replaceChildren();
      this.drawSectionNow(svg, W, H);
      return;
    }
    const asked = ++this.plantAsked,
      reply = await fetch(this.plantUrl(''));
    if (asked !== this.plantAsked || this.bench !== 'growth') return;
    if (!reply.ok) {
      this.say((await reply.json()).error || 'The plant sheet cannot be drawn.');
      return;
    }
    this.plantTold = Alpine.raw(await reply.json());
    if (asked !== this.plantAsked || this.bench !== 'growth') return;
    this.showPlant(svg, W, H);
  },
  showPlant(svg, W, H) {
    const old = /** @type {any} */ (svg.querySelector('image')),
      told = Alpine.raw(this.plantTold),
      picture = old && old.dataset.of === this.selected ? old.getAttribute('href') : this.plantUrl('picture.jpg');
    svg.replaceChildren();
    /** @type {any} */
    const shown = drawPlant(
      svg,
      { W, H, told, picture },
      { turn: (e) => this.turnPlant(e), dial: (name, e, span) => this.dragDial(name, e, span) },
    );
    shown.dataset.of = this.selected;
    if (!this.plantPlays) this.refinePlant(shown, this.plantAsked);
  },
  // a coarse picture at once, a finer one after it, unless another was asked for meanwhile
  refinePlant(shown, asked) {
    const of = this.selected;
    const step = (k) => {
      if (this.selected !== of) return;
      const image = new Image();
      image.onload = () => {
        if (asked !== this.plantAsked || this.plantPlays || !shown.isConnected) return;
        shown.setAttribute('href', image.src);
        shown.dataset.step = String(k);
        if (k < 1) step(k + 1);
      };
      // another request of this page came first: asked again
      image.onerror = () => {
        if (asked === this.plantAsked && !this.plantPlays && shown.isConnected) setTimeout(() => step(k), 400);
      };
      image.src = this.plantUrl('picture.jpg', { step: String(k), at: '0.5' });
    };
    step(0);
  },
  turnPlant(e) {
    e.preventDefault();
    const x0 = e.clientX,
      from = this.plantTurn,
      shown = e.target;
    let asked = 0;
    pointerDrag(
      (m) => {
        this.plantTurn = (((from + (m.clientX - x0)) % 360) + 360) % 360;
        const mine = ++asked,
          image = new Image();
        image.onload = () => mine === asked && !this.plantPlays && shown.setAttribute('href', image.src);
        image.src = this.plantUrl('picture.jpg', { step: '0', at: '0.5' });
      },
      () => this.drawDrawing(),
    );
  },
  // its own clip, frame by frame as they come, and round
  playPlant(on) {
    const mine = (this.plantPlays = on ? Date.now() : 0),
      frames = [];
    this.drawDrawing();
    if (!on) return;
    const load = (k) => {
      const image = new Image();
      image.onload = () => {
        frames[k] = image.src;
        if (this.plantPlays === mine && k + 1 < FRAMES) load(k + 1);
      };
      image.src = this.plantUrl('picture.jpg', {
        step: '0',
        at: ((k * this.plantTold.seconds) / FRAMES).toFixed(3),
      });
    };
    load(0);
    const show = () => {
      if (this.plantPlays !== mine || this.bench !== 'growth') return;
      const shown = document.querySelector('[data-sheet="picture"]'),
        k = Math.floor(((performance.now() / 1000) % this.plantTold.seconds) * (FRAMES / this.plantTold.seconds));
      if (shown && frames[k]) shown.setAttribute('href', frames[k]);
      setTimeout(show, 1000 / 12);
    };
    show();
  },
  dragDial(name, e, [low, high, wide]) {
    e.preventDefault();
    e.stopPropagation();
    const x0 = e.clientX,
      from = this.plantTold[name],
      ring = /** @type {SVGElement} */ (e.target);
    let value = from;
    pointerDrag(
      (m) => {
        value = clamp(from + ((m.clientX - x0) / wide) * (high - low), low, high);
        value = name === 'month' ? Math.round(value * 10) / 10 : Math.round(value * 100) / 100;
        ring.setAttribute('transform', `translate(${((value - from) / (high - low)) * wide} 0)`);
        this.say(name === 'month' ? `month ${value.toFixed(1)}` : `grown ${Math.round(value * 100)} %`);
      },
      () => {
        this.say('');
        if (value === from) return;
        const at = `/growth/${this.selected}`,
          edits = [{ op: 'set', path: `${at}/${name}`, value }];
        if (name === 'month' && this.plantTold.season !== 'by the dial')
          edits.push({ op: 'set', path: `${at}/leaves`, value: 'by the dial' });
        const label = name === 'month' ? `the season at month ${value.toFixed(1)}` : `grown to ${value}`;
        this.command({ op: 'several', edits, label });
      },
    );
  },
  // from where the picked stand's growing spreads: points that can be dragged
  drawFronts(svg, px) {
    const stand = this.bench === 'growth' && this.standPicked();
    if (!stand || !stand.front.length) return;
    drawFront(
      svg,
      { points: stand.front, along: stand.along, px },
      {
        drag: (e, k) => this.dragFront(e, stand, k),
        take: (k) =>
          this.setFront(
            stand,
            stand.front.filter((_, i) => i !== k),
          ),
      },
    );
  },
  dragFront(e, stand, k) {
    if (e.button || this.drafting || this.chartMode) return;
    e.stopPropagation();
    e.preventDefault();
    const home = stand.front[k],
      from = this.metres(e);
    pointerDrag(
      (m) => {
        const at = this.metres(m);
        stand.front[k] = [home[0] + at[0] - from[0], home[1] + at[1] - from[1]].map((v) => +v.toFixed(2));
        this.drawChart();
      },
      () => this.setFront(stand, stand.front),
    );
  },
  setFront(stand, points) {
    if (points.length < (stand.along ? 2 : 1)) {
      this.say(stand.along ? 'A line needs two points.' : 'A front needs a spot to spread from.');
      return;
    }
    this.command({ op: 'set', path: `/growth/${stand.id}/front/points`, value: points });
  },
  drawGroundWays(svg, px) {
    for (const way of this.chart.ways)
      drawGroundWay(
        svg,
        { way, px, picked: way.id === this.selected, live: this.bench === 'growth' },
        {
          pick: (one) => this.select(one.id),
          press: (e, one) => {
            if (this.drafting || this.chartMode) return;
            e.stopPropagation();
            this.select(one.id);
          },
        },
      );
  },
  // a way on the ground, and a plant set by hand
  wayDrawn(line) {
    if (line.length < 2) {
      this.say('A way needs two points at least.');
      this.drawChart();
      return;
    }
    const ids = this.chart.ways.map((way) => way.id);
    let k = 1;
    while (ids.includes(`way${k}`)) k++;
    const item = { id: `way${k}`, name: `Way ${k}`, line };
    this.command({ op: 'add', to: 'ways', item }).then((ok) => ok && this.select(item.id));
  },
  // a stroke of a brush as wide as 28 pixels; with shift it takes away
  brushStand(e) {
    const px = this.px(),
      line = [this.metres(e).map((v) => +v.toFixed(2))],
      width = +(28 * px).toFixed(2),
      takes = e.shiftKey,
      mark = el('polyline', {
        fill: 'none',
        stroke: takes ? 'var(--brick)' : 'var(--marsh)',
        'stroke-opacity': 0.45,
        'stroke-width': width,
        'stroke-linecap': 'round',
        'stroke-linejoin': 'round',
      }),
      show = () => mark.setAttribute('points', line.map(([x, y]) => `${x},${-y}`).join(' '));
    refs.chart.append(mark);
    line.push([line[0][0] + 0.01, line[0][1]]);
    show();
    pointerDrag(
      (m) => {
        const at = this.metres(m),
          last = line[line.length - 1];
        if (Math.hypot(at[0] - last[0], at[1] - last[1]) < 4 * px) return;
        line.push(at.map((v) => +v.toFixed(2)));
        show();
      },
      () => {
        mark.remove();
        this.command({ op: 'brush_stand', stand: this.selected, line, width, takes });
      },
    );
  },
  setPlantAt([east, north]) {
    this.setChartMode('');
    if (!this.standPicked()) return;
    this.command({ op: 'set_plant', stand: this.selected, east: +east.toFixed(2), north: +north.toFixed(2) });
  },
};
