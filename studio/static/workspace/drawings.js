/* The drawing under the chart, by bench: the sun over the day, and the waves. */
import { drawSun } from '../drawings/sun.js';
import { drawWaves } from '../drawings/waves.js';
import { keepingFocus, refs } from '../kit/dom.js';
import { benchOf } from './benches.js';

/** @type {import('../types.js').Part} */
export const drawings = {
  drawDrawing() {
    keepingFocus(refs.drawing, () => this.drawDrawingAnew());
  },
  drawDrawingAnew() {
    const svg = refs.drawing;
    if (!svg || !(this.held || svg.clientWidth)) return;
    const [W, H] = this.held ? this.held.size : [svg.clientWidth, svg.clientHeight];
    svg.setAttribute('viewBox', `0 0 ${W} ${H}`);
    svg.replaceChildren();
    this[benchOf(this.bench).draw](svg, W, H);
  },
  drawSunNow(svg, W, H) {
    const now = this.hourAt(this.t);
    drawSun(svg, {
      W,
      H,
      ...this.s.day,
      camera: this.camera(),
      hour: now.getUTCHours() + now.getUTCMinutes() / 60,
      clock: this.clockAt(this.t),
    });
  },
  async drawWavesNow(svg, W, H) {
    const reply = await fetch(this.url(`waves/?shot=${this.s.shot.id}&t=${this.t.toFixed(3)}`));
    if (!reply.ok || this.bench !== 'water') return;
    drawWaves(svg, { W, H, ...(await reply.json()) });
  },
  tapDrawing(e) {
    const { tap } = benchOf(this.bench);
    if (tap) this[tap](e);
  },
};
