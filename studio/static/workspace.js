/* The workspace: one state object; the playhead, chart, look, drawing and slip all read the same instant.

   Each part has a module of its own, with the fields that it alone writes; another part changes them by its methods. */
import { air } from './workspace/air.js';
import { bringing } from './workspace/bringing.js';
import { chart } from './workspace/chart.js';
import { chartMarks } from './workspace/chart_marks.js';
import { chartWaters } from './workspace/chart_waters.js';
import { clock } from './workspace/clock.js';
import { cut } from './workspace/cut.js';
import { desk } from './workspace/desk.js';
import { drawings } from './workspace/drawings.js';
import { edits } from './workspace/edits.js';
import { filmDrawing } from './workspace/film_drawing.js';
import { growth } from './workspace/growth.js';
import { handing } from './workspace/handing.js';
import { history } from './workspace/history.js';
import { keys } from './workspace/keys.js';
import { lanes } from './workspace/lanes.js';
import { lanesDrawing } from './workspace/lanes_drawing.js';
import { lanesPointer } from './workspace/lanes_pointer.js';
import { look } from './workspace/look.js';
import { mover } from './workspace/mover.js';
import { playhead } from './workspace/playhead.js';
import { rehearsal } from './workspace/rehearsal.js';
import { route } from './workspace/route.js';
import { routeDrawing } from './workspace/route_drawing.js';
import { section } from './workspace/section.js';
import { slip } from './workspace/slip.js';
import { timeline } from './workspace/timeline.js';
import { words } from './workspace/words.js';

const PARTS = [
  words,
  air,
  bringing,
  chart,
  chartMarks,
  chartWaters,
  clock,
  cut,
  desk,
  drawings,
  edits,
  filmDrawing,
  growth,
  handing,
  history,
  keys,
  lanes,
  lanesDrawing,
  lanesPointer,
  look,
  mover,
  playhead,
  rehearsal,
  route,
  routeDrawing,
  section,
  slip,
  timeline,
];

document.addEventListener('alpine:init', () => {
  Alpine.data('workspace', (initial) => {
    const whole = {};
    for (const part of PARTS) {
      for (const name of Object.keys(part))
        if (name in whole) throw new Error(`two parts of the workspace have ${name}`);
      Object.assign(whole, part);
    }
    return { ...whole, s: initial };
  });
});
