/* Lanes and their curves, drawn. */
import { drawLanes } from '../drawings/lanes.js';
import { refs } from '../kit/dom.js';
import { dragged } from './keys_drawn.js';

/** @type {import('../types.js').Part} */
export const lanesDrawing = {
  owed: null,
  laneHigh: 0,
  grips: null,
  openScale: null,
  bracket: null,
  laneTop: 0,

  scrollLanes(box) {
    this.laneTop = box.scrollTop;
    this.drawLanes();
  },
  drawSoon() {
    if (this.owed) return;
    this.owed = true;
    requestAnimationFrame(() => {
      this.owed = false;
      this.drawLanes();
    });
  },
  drawLanes() {
    const canvas = refs.lanecanvas,
      box = refs.lanes;
    if (!canvas || !box || !canvas.clientWidth) return;
    this.measure();
    const W = canvas.clientWidth,
      H = box.clientHeight,
      k = window.devicePixelRatio || 1;
    if (canvas.width !== Math.round(W * k) || canvas.height !== Math.round(H * k)) {
      canvas.width = Math.round(W * k);
      canvas.height = Math.round(H * k);
    }
    canvas.style.height = `${H}px`;
    if (this.laneHigh !== H) this.laneHigh = H;
    const g = canvas.getContext('2d');
    const found = drawLanes(g, {
      W,
      H,
      k,
      rows: this.seenRows(),
      top: box.scrollTop,
      colours: this.palette(),
      seconds: this.s.shot.seconds,
      band: this.band,
      dragged,
      valueZoom: this.valueZoom,
      lineX: (t) => this.lineX(t),
      lineT: (x) => this.lineT(x),
      span: () => this.span(),
      keysOf: (lane) => this.keysOf(lane),
      curve: (lane) => this.curve(lane),
      isPicked: (path, t) => this.isPicked(path, t),
      number: (v, unit) => this.number(v, unit),
    });
    this.grips = found.grips;
    this.bracket = found.bracket;
    if (found.openScale) this.openScale = found.openScale;
    canvas.dataset.drawn = Number(canvas.dataset.drawn || 0) + 1;
    this.drawPlayhead();
  },
};
