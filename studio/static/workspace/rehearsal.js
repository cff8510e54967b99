/* Frames that lie ready: asked for, fetched, unpacked and shown. */
import { cookie, refs } from '../kit/dom.js';
import { everyFourth, lastReady } from '../kit/frames.js';
import { EDGE, dragged } from './keys_drawn.js';

/** @type {import('../types.js').Part} */
export const rehearsal = {
  frames: {},
  readyTimer: 0,
  fillTimer: 0,
  readyAsked: 0,
  rehearsing: null,
  filling: false,
  rehearsalSize: localStorage.getItem('lw-size') || '384x216',
  fetching: null,
  idleTimer: 0,
  blobs: new Map(),
  bitmaps: new Map(),
  unpacking: new Set(),

  setFrames(value) {
    this.frames = value;
    return value;
  },
  // What of the shot, as it is now, lies ready: by the digest of what each frame depends on, so an edit
  // leaves what it does not touch.
  // what lies ready is asked for once the look has answered; until then nothing old is shown as ready
  beginAgain() {
    this.frames = {};
    clearTimeout(this.readyTimer);
    this.readyTimer = setTimeout(() => this.refreshReady(), 1200);
    if (!this.filling) return;
    clearTimeout(this.fillTimer);
    this.fillTimer = setTimeout(() => {
      if (this.filling) this.rehearse(true);
    }, 1300);
  },
  async refreshReady() {
    const mine = (this.readyAsked = (this.readyAsked || 0) + 1);
    const reply = await fetch(this.url(`ready/?shot=${this.s.shot.id}&size=${this.rehearsalSize}`)).catch(() => null);
    if (!reply || !reply.ok || mine !== this.readyAsked) return;
    const data = await reply.json();
    if (data.rev !== this.s.rev) return;
    this.frames = data.frames;
    const kept = new Set(Object.values(data.frames));
    for (const key of this.blobs.keys()) if (!kept.has(key) && this.blobs.size > 600) this.blobs.delete(key);
    this.drawReady();
    this.fetchAhead();
    const count = Object.keys(data.frames).length,
      left = data.seconds_left ? `, ${this.words(data.seconds_left)} left` : '';
    this.rehearsing = data.running;
    const coarse = everyFourth(data.frames) ? ', every fourth first' : '';
    if (this.filling)
      this.setBusy(
        data.running
          ? `rehearsal ${data.behind || `${count} of ${this.s.shot.frames}${coarse}${left}`}`
          : data.say
            ? `rehearsal: ${data.say}`
            : count === this.s.shot.frames
              ? 'rehearsal ready: press space'
              : '',
      );
    if (data.running || (this.filling && count < this.s.shot.frames && !data.say)) {
      clearTimeout(this.readyTimer);
      this.readyTimer = setTimeout(() => this.refreshReady(), 700);
    }
  },
  async rehearse(again = false) {
    if (!again && this.filling) {
      this.filling = false;
      this.setBusy('');
      const body = new FormData();
      body.set('shot', this.s.shot.id);
      await fetch(this.url('rest/'), { method: 'POST', headers: { 'X-CSRFToken': cookie('csrftoken') }, body }).catch(
        () => null,
      );
      return;
    }
    const first = !this.filling;
    this.filling = true;
    const body = new FormData();
    body.set('shot', this.s.shot.id);
    body.set('from', this.frame());
    body.set('size', this.rehearsalSize);
    const reply = await fetch(this.url('rehearse/'), {
      method: 'POST',
      headers: { 'X-CSRFToken': cookie('csrftoken') },
      body,
    });
    const data = await reply.json().catch(() => ({ error: 'Your session has ended: sign in again.' }));
    if (!reply.ok) {
      this.filling = false;
      this.say(data.error);
      return;
    }
    if (first) this.setCamera(null);
    this.refreshReady();
  },
  setRehearsalSize(size) {
    this.rehearsalSize = size;
    localStorage.setItem('lw-size', size);
    this.frames = {};
    this.bitmaps.clear();
    this.filling ? this.rehearse(true) : this.refreshReady();
  },
  order() {
    const n = this.frame(),
      all = Object.keys(this.frames)
        .map(Number)
        .sort((a, b) => a - b);
    return [...all.filter((k) => k >= n), ...all.filter((k) => k < n)];
  },
  async fetchAhead() {
    if (this.fetching) return;
    this.fetching = true;
    const hand = async () => {
      for (;;) {
        const n = this.order().find((k) => !this.blobs.has(this.frames[k]));
        if (n === undefined) return;
        const key = this.frames[n];
        this.blobs.set(key, null);
        const reply = await fetch(this.url(`shown/${key}.jpg`)).catch(() => null);
        if (reply && reply.ok) this.blobs.set(key, await reply.blob());
        else {
          this.blobs.delete(key);
          return;
        }
        this.drawReady();
      }
    };
    await Promise.all([hand(), hand(), hand()]);
    this.fetching = false;
    this.decodeAhead();
  },
  // pictures are unpacked a little ahead of the playhead, so that none waits when its turn comes
  decodeAhead() {
    if (this.unpacking.size >= 2) return;
    const n = this.frame(),
      total = this.s.shot.frames,
      ahead = Math.min(36, total);
    const wanted = [];
    for (let k = 0; k < ahead; k++) {
      const key = this.frames[((n - 1 + k) % total) + 1];
      if (key && this.blobs.get(key)) wanted.push(key);
    }
    const next = wanted.find((key) => !this.bitmaps.has(key) && !this.unpacking.has(key));
    if (!next) return;
    this.unpacking.add(next);
    createImageBitmap(this.blobs.get(next))
      .then((bitmap) => {
        this.bitmaps.set(next, bitmap);
        this.unpacking.delete(next);
        const keep = new Set(wanted);
        for (const [key, old] of this.bitmaps)
          if (this.bitmaps.size > 72 && !keep.has(key)) {
            old.close();
            this.bitmaps.delete(key);
          }
        this.decodeAhead();
      })
      .catch(() => {
        this.unpacking.delete(next);
        this.blobs.delete(next);
      });
    this.decodeAhead();
  },
  showReady() {
    if (this.cam || this.noise) return false;
    const exact = this.frame(),
      n = this.playing ? lastReady(exact, (k) => this.bitmaps.has(this.frames[k])) : exact;
    const bitmap = this.bitmaps.get(this.frames[n]);
    this.decodeAhead();
    if (!bitmap || (!this.playing && !this.filling)) return false;
    const canvas = refs.look;
    canvas.getContext('2d').drawImage(bitmap, 0, 0, canvas.width, canvas.height);
    const which = n === exact ? '' : ', every fourth';
    this.setLookInfo(`rehearsal, frame ${n}${which}${this.late ? `, ${this.late} late` : ''}`);
    canvas.dataset.rehearsal = this.frame();
    if (!this.playing) {
      clearTimeout(this.idleTimer);
      this.idleTimer = setTimeout(() => {
        if (!this.playing) this.look();
      }, 600);
    }
    return true;
  },
  // from times to places on the ruler and back; measured once a drawing, since asking the page its width
  // thousands of times is what drawing costs
  measure() {
    const w = this.span(),
      W = refs.timeline.clientWidth - 2 * EDGE;
    dragged.a = w.a;
    dragged.per = W / (w.b - w.a);
  },
};
