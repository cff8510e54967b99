/* The clip, its clock and its seam. */
import { cookie } from '../kit/dom.js';

/** @type {import('../types.js').Part} */
export const clock = {
  planSaid: '',
  meetSaid: '',
  seamSaid: '',
  keep: localStorage.getItem('lw-keep') || 'seconds',
  meetings: [],

  openClock() {
    this.setDialog('clock');
    this.planSaid = this.meetSaid = '';
    htmx.ajax('GET', this.url(`clock/?shot=${this.s.shot.id}`), {
      target: '#clock-form',
      swap: 'innerHTML',
    });
  },
  openSeam() {
    this.setDialog('seam');
    this.seamSaid = '';
    htmx.ajax('GET', this.url(`seam/?shot=${this.s.shot.id}`), {
      target: '#seam',
      swap: 'innerHTML',
    });
  },
  async form(tail, data) {
    const body = new FormData();
    body.set('rev', this.s.rev);
    body.set('shot', this.s.shot.id);
    for (const [k, v] of Object.entries(data)) body.set(k, v);
    const reply = await fetch(this.url(tail), {
      method: 'POST',
      headers: { 'X-CSRFToken': cookie('csrftoken') },
      body,
    }).catch(() => null);
    const said = reply
      ? await reply.json().catch(() => ({ error: 'The server could not take this in.' }))
      : {
          error: 'The server cannot be reached: nothing was changed. Try again in a moment.',
        };
    if (said.state) this.take_state(said.state);
    if (said.error) this.say(said.error);
    else this.say('');
    return said.error ? { error: said.error } : said;
  },
  async setClip(e) {
    /** @type {Record<string, any>} */
    const d = Object.fromEntries(new FormData(e.target));
    this.keep = d.keep;
    localStorage.setItem('lw-keep', d.keep);
    const said = await this.form('clip/', d);
    if (!said.error) {
      this.setWin(null);
      this.openClock();
    }
  },
  async plan(e, use) {
    /** @type {Record<string, any>} */
    const d = Object.fromEntries(new FormData(e.target.closest('form')));
    if (use) d.use = 1;
    const said = await this.form('lapse/', d);
    this.planSaid = said.error || said.text || '';
    if (use && !said.error) this.openClock();
  },
  async setAround(e) {
    const said = await this.form('around/', Object.fromEntries(new FormData(e.target)));
    if (!said.error) {
      this.setDialog('');
      this.go(0);
    }
  },
  async meetSun(bearing) {
    this.meetSaid = 'looking …';
    this.meetings = [];
    const q = new URLSearchParams({
      shot: this.s.shot.id,
      t: this.t.toFixed(4),
      bearing,
    });
    if (this.cam) q.set('cam', this.cameraText());
    const reply = await fetch(this.url(`meet/?${q}`)),
      said = await reply.json().catch(() => ({ error: 'The server could not answer.' }));
    this.meetSaid = said.error || said.none || '';
    this.meetings = said.found || [];
  },
  // the shot shows this moment at the playhead: its start moves, its speed stays
  startAt(moment) {
    const lane = this.lane(`/shots/${this.s.shot.id}/clock/start`);
    if (lane) {
      this.say("The place's clock is keyed in this shot: move its keys instead.");
      return;
    }
    const c = this.s.day.clock,
      speed = c.at(-1) / this.s.shot.seconds,
      start = new Date(Date.parse(moment + 'Z') - 1000 * speed * this.t);
    this.command({
      op: 'clock',
      shot: this.s.shot.id,
      start: start.toISOString().slice(0, 19),
      speed: +speed.toPrecision(9),
    });
  },
  async repair(path, how) {
    const shot = this.s.shot.id;
    const c =
      how === 'loop'
        ? { op: 'set', path: `/shots/${shot}/loop`, value: true }
        : how === 'still'
          ? { op: 'set', path: `/shots/${shot}/clock/speed`, value: 0 }
          : how === 'cross-fade'
            ? {
                op: 'seam',
                shot,
                seam: 'cross-fade',
                frames: Math.max(2, Math.min(24, Math.round(this.s.shot.frames / 6))),
              }
            : how === 'there and back'
              ? { op: 'seam', shot, seam: 'mirror' }
              : how === 'cut'
                ? { op: 'seam', shot, seam: 'cut' }
                : { op: 'repair', shot, path, how };
    if (await this.command(c)) this.openSeam();
  },
  async fadeOver(text) {
    const frames = Number(text);
    if (!Number.isInteger(frames) || frames < 2) {
      this.say(`A fade is a whole number of frames, at least 2, and “${text}” is none.`);
      return;
    }
    if (
      await this.command({
        op: 'seam',
        shot: this.s.shot.id,
        seam: 'cross-fade',
        frames,
      })
    )
      this.openSeam();
  },
  async compareSeam() {
    this.seamSaid = 'rendering a few small frames …';
    const said = await this.form('seam/step/', {});
    this.seamSaid = said.error || said.text;
  },
};
