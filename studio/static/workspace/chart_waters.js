/* Streams, ponds and puddles on the chart: drawn, picked, thrown out. */
import { drawWater } from '../drawings/marks.js';

const NEW = {
  stream: { name: 'Stream', width: 2.4, depth: 0.3 },
  pond: { name: 'Pond', depth: 1.2 },
  puddles: { name: 'Puddles', depth: 0.05 },
};

/** @type {import('../types.js').Part} */
export const chartWaters = {
  drawWaters(svg, px) {
    for (const water of this.chart.waters)
      drawWater(
        svg,
        { water, px, picked: water.id === this.selected, live: this.bench === 'water' },
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
  // whether what is selected is a stream, a pond, puddles or a drawn beach
  picksWater() {
    const own = [...(this.chart ? this.chart.waters : []), ...(this.s.beaches || [])];
    return own.some((w) => w.id === this.selected);
  },
  newWater(kind) {
    const ids = this.chart.waters.map((w) => w.id);
    let k = 1;
    while (ids.includes(`${kind}${k}`)) k++;
    const { name, ...more } = NEW[kind];
    return { id: `${kind}${k}`, kind, name: `${name} ${k}`, seed: k + 4, ...more };
  },
  waterDrawn(kind, line) {
    const least = kind === 'stream' ? 2 : 3;
    if (line.length < least) {
      this.say(kind === 'stream' ? 'A stream needs two points at least.' : 'A shore needs three corners at least.');
      this.drawChart();
      return;
    }
    const item = { ...this.newWater(kind), line };
    this.command({ op: 'add', to: 'waters', item }).then((ok) => ok && this.select(item.id));
  },
  springAt([east, north]) {
    this.setChartMode('');
    const item = this.newWater('stream');
    this.command({ op: 'run_down', east: +east.toFixed(1), north: +north.toFixed(1), item }).then(
      (ok) => ok && this.select(item.id),
    );
  },
};
