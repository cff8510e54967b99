/* Changes: how they are sent, and what the page makes of the state that comes back. */
import { clamp, cookie } from '../kit/dom.js';
import { near } from './keys_drawn.js';

// the page's token goes with its session: what comes back then is a page, and this is what it means
const SIGNED_OUT = 'Your session has ended: sign in again (in another tab, to keep this page), then do it once more.';

/** @type {import('../types.js').Part} */
export const edits = {
  ask: null,
  s: {},

  setQuestion(value) {
    this.ask = value;
    return value;
  },
  // a change of this shot: sent with the revision it was made on
  postChange(tail, body) {
    return fetch(this.url(tail), {
      method: 'POST',
      headers: { 'Content-Type': 'application/json', 'X-CSRFToken': cookie('csrftoken') },
      body: JSON.stringify({ rev: this.s.rev, shot: this.s.shot.id, ...body }),
    });
  },
  // a refusal puts the slip back as the place has it, but for a small form, whose numbers are still being said
  async send(body, { keepsSlip = false } = {}) {
    let reply;
    try {
      reply = await this.postChange('edit/', body);
    } catch {
      this.say('The server cannot be reached: your change was not saved. Try again in a moment.');
      return false;
    }
    const data = await reply.json().catch(() => ({ error: SIGNED_OUT }));
    if (data.ask) {
      this.ask = { ...data.ask, shot: this.s.shot.id };
      return false;
    }
    if (!reply.ok) {
      this.say(data.error);
      if (data.state) this.take_state(data.state);
      else if (!keepsSlip) this.slip();
      return false;
    }
    this.say('');
    this.take_state(data);
    return true;
  },
  take_state(state) {
    if (state.shot.id !== this.s.shot.id) {
      this.setFrames({});
      this.setWin(this.setRange(null));
      this.setOpenLane('');
      this.setPicked({});
    }
    if (this.range && this.range[1] > state.shot.frames) this.setRange(null);
    this.s = state;
    this.ask = null;
    this.setAmounts(null);
    this.setNumbers(null);
    this.setTime(clamp(this.t, 0, Math.max(0, state.shot.seconds - 1 / this.fps())));
    this.setPlaying(false);
    if (this.openLane && !this.lane(this.openLane)) this.setOpenLane('');
    this.setPicked(
      Object.fromEntries(
        Object.entries(this.pickedNext || this.picked).map(([path, ts]) => [
          path,
          ts.filter((t) => (this.lane(path) || { keys: [] }).keys.some((k) => near(k.t, t))),
        ]),
      ),
    );
    this.beginAgain();
    this.look();
    this.drawTimeline();
    this.drawDrawing();
    this.slip();
    this.askRide();
    this.askFilm();
    this.chartKey === state.chart ? this.drawChart() : this.loadChart();
  },
  command(c) {
    return this.send({ command: c });
  },
  undo() {
    if (this.s.undo) this.send({ move: 'undo' });
  },
  redo() {
    if (this.s.redo) this.send({ move: 'redo' });
  },
  async pickShot(id) {
    const reply = await fetch(this.url(`state/?shot=${id}`));
    if (!reply.ok) return;
    this.setTime(0);
    this.setSelected('');
    this.setCamera(null);
    this.take_state(await reply.json());
    this.frameChart();
    this.drawChart();
  },
  async post(tail, form) {
    let reply;
    try {
      reply = await fetch(this.url(tail), {
        method: 'POST',
        headers: { 'X-CSRFToken': cookie('csrftoken') },
        body: form,
      });
    } catch {
      this.say('The server cannot be reached: nothing was changed. Try again in a moment.');
      return null;
    }
    const data = await reply.json().catch(() => ({ error: 'The server could not take this in.' }));
    if (!reply.ok || data.error) {
      this.say(data.error);
      return null;
    }
    if (data.id) this.setSelected(data.id);
    this.take_state(data.state);
    this.say(data.note ? `Taken in. ${data.note.replace(/\.$/, '')}.` : '');
    return data;
  },
  answer(how) {
    const a = this.ask;
    this.ask = null;
    if (!how) {
      this.slip();
      this.drawChart();
      return;
    }
    this.send(
      a.command ? { command: a.command, auto: true } : { typed: { path: a.path, text: a.text, t: a.t, how } },
    );
  },
  async reshape(tail, body) {
    let reply;
    try {
      reply = await this.postChange(tail, body);
    } catch {
      this.say('The server cannot be reached: nothing was changed. Try again in a moment.');
      return null;
    }
    const data = await reply.json().catch(() => ({ error: 'The server could not do this.' }));
    if (!reply.ok || data.error) {
      this.say(data.error);
      return null;
    }
    if (data.state) this.take_state(data.state);
    return data;
  },
};
