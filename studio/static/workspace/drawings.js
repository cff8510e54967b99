/* The drawing under the chart, by bench. */
import { drawWaves } from '../drawings/waves.js';
import { keepingFocus, pointerDrag, refs } from '../kit/dom.js';
import { waterSets } from '../kit/waters.js';
import { benchOf } from './benches.js';

/** @type {import('../types.js').Part} */
export const drawings = {
  wavesAsked: 0, // how often a water's drawing was asked for: the newest answer is drawn
  drawDrawing() {
    keepingFocus(refs.drawing, () => this.drawDrawingAnew());
  },
  drawDrawingAnew() {
    const svg = refs.drawing;
    if (!svg || !(this.held || svg.clientWidth)) return;
    const [W, H] = this.held ? this.held.size : [svg.clientWidth, svg.clientHeight];
    svg.setAttribute('viewBox', `0 0 ${W} ${H}`);
    const { draw, asks } = benchOf(this.bench);
    if (!asks || svg.dataset.bench !== this.bench) svg.replaceChildren();
    svg.dataset.bench = this.bench;
    this[draw](svg, W, H);
  },
  async drawWavesNow(svg, W, H) {
    const asked = ++this.wavesAsked,
      about = `shot=${this.s.shot.id}&t=${this.t.toFixed(3)}&selected=${encodeURIComponent(this.selected || '')}`,
      reply = await fetch(this.url(`waves/?${about}`));
    if (!reply.ok || this.bench !== 'water') return;
    const data = await reply.json();
    if (asked !== this.wavesAsked) return; // an older answer that came late
    if (data.beach) data.picture = this.url(`beach/${data.beach}/?shot=${this.s.shot.id}&t=${this.t.toFixed(3)}`);
    drawWaves(svg, { W, H, ...data }, (name, e, scales) => this.dragWater(name, e, scales));
  },
  // a value dragged in a drawing of water: read off while it goes, stored when it is let go
  dragWater(name, e, scales) {
    e.preventDefault();
    e.stopPropagation();
    const x0 = e.clientX,
      y0 = e.clientY,
      ring = /** @type {SVGElement} */ (e.target);
    let sets = [];
    const move = (m) => {
      const dx = m.clientX - x0,
        dy = m.clientY - y0;
      ring.setAttribute('transform', `translate(${dx} ${dy})`);
      sets = waterSets(name, scales, dx, dy, this.selected);
      this.say(sets.map((one) => one.text).join(', '));
    };
    const up = () => {
      ring.removeAttribute('transform');
      this.say('');
      if (!sets.length) return;
      const edits = sets.map(({ path, value }) => ({ op: 'set', path, value }));
      this.command({ op: 'several', edits, label: sets.map((one) => one.text).join(', ') });
    };
    pointerDrag(move, up);
  },
  tapDrawing(e) {
    const { tap } = benchOf(this.bench);
    if (tap) this[tap](e);
  },
};
