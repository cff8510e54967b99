/* The look: its camera, its picture and what is picked in it. */
import { asText, alongRoute, stepped, groundAhead } from '../kit/camera.js';
import { clamp, refs, pointerDrag } from '../kit/dom.js';

const PATIENCE = 8000; // milliseconds for which other questions let the look go before them

/** @type {import('../types.js').Part} */
export const look = {
  amounts: null,
  cam: null,
  picking: '',
  wish: Date.now() % 1e9,
  again: null,
  inflight: null,
  lookInfo: '',
  lookTimer: 0,
  waitsTimer: 0,
  noise: false,
  tones: false,
  tonesTold: null, // shares of red, green, blue and brightness, and of what is cut off

  setAmounts(value) {
    this.amounts = value;
    return value;
  },
  setCamera(value) {
    this.cam = value;
    return value;
  },
  setPicking(value) {
    this.picking = value;
    return value;
  },
  setLookInfo(value) {
    this.lookInfo = value;
    return value;
  },
  // the look's own camera, as every address that asks for it takes it
  cameraText() {
    return asText(this.cam);
  },
  routeCamera(time) {
    const t = time === undefined ? this.t : time;
    return alongRoute(Alpine.raw(this.s).route.samples || [], t / this.s.shot.seconds);
  },
  camera() {
    return this.cam || this.routeCamera();
  },
  free() {
    if (!this.cam) this.cam = { ...this.routeCamera() };
    return this.cam;
  },
  backToRoute() {
    this.cam = null;
    this.look();
    this.drawChart();
  },
  // older pictures on their way are not shown any more
  nextWish() {
    this.wish += 1;
  },
  // what takes long and can wait comes after the first picture of what is looked at, or after some seconds
  firstPicture() {
    const wish = this.wish,
      there = () => !refs.look || Number(refs.look.dataset.wish) >= wish;
    return new Promise((done) => {
      const began = performance.now(),
        seen = () => (there() || performance.now() - began > PATIENCE ? done(true) : setTimeout(seen, 60));
      seen();
    });
  },
  toggleTones() {
    this.tones = !this.tones;
    this.tonesTold = null;
    this.look();
  },
  // one line of the tones' drawing, 256 wide and 60 high
  tonesPath(k) {
    const shares = this.tonesTold.shares[k],
      most = Math.max(0.02, ...this.tonesTold.shares.flat().map((v) => Math.min(v, 0.12)));
    return shares.map((v, i) => `${i ? 'L' : 'M'}${2 + i * 4} ${60 - 58 * Math.min(1, v / most)}`).join('');
  },
  toggleNoise() {
    this.noise = !this.noise;
    this.look();
  },
  look(step = 0) {
    if (this.playing && !this.cam && this.showReady()) return;
    clearTimeout(this.lookTimer);
    if (step === 0) this.nextWish();
    const wish = this.wish;
    // one coarse picture is asked for at a time; a refinement under way gives way to it at once
    if (this.inflight === 'coarse' && step === 0) {
      this.again = true;
      return;
    }
    const q = new URLSearchParams({
      shot: this.s.shot.id,
      t: this.t.toFixed(5),
      step: String(step),
      wish: String(wish),
      tab: this.tab,
    });
    if (this.cam) {
      q.set('cam', this.cameraText());
    }
    if (this.noise) q.set('noise', '1');
    if (this.tones) q.set('tones', '1');
    this.inflight = step === 0 ? 'coarse' : 'fine';
    const asked = performance.now();
    clearTimeout(this.waitsTimer);
    this.waitsTimer = setTimeout(() => this.sayWhatFor(wish), 300);
    fetch(this.url(`look/?${q}`))
      .then(async (r) => {
        clearTimeout(this.waitsTimer);
        if (step === 0 || wish === this.wish) this.inflight = '';
        if (step === 0 && this.again) {
          this.again = false;
          this.look(0);
          if (r.status !== 200) return;
        }
        if (step > 0 && wish !== this.wish) return;
        if (r.status === 204) return;
        if (r.status === 503) {
          // many wait already: asked again in a moment
          this.lookInfo = 'many are at work here: waits for a turn';
          if (wish === this.wish) this.lookTimer = setTimeout(() => this.look(step), 1000);
          return;
        }
        if (!r.ok) {
          const d = await r.json().catch(() => ({}));
          this.lookInfo = 'no picture';
          this.say(d.error || 'The look could not be rendered.');
          return;
        }
        const samples = r.headers.get('X-Samples'),
          last = r.headers.get('X-Last') === '1';
        // a film that was only developed anew is as far as it was
        step = Math.max(step, Number(r.headers.get('X-Step')));
        const told = r.headers.get('X-Tones');
        this.tonesTold = told && this.tones ? JSON.parse(told) : null;
        const bitmap = await createImageBitmap(await r.blob());
        const canvas = refs.look;
        if (!canvas) return;
        canvas.getContext('2d').imageSmoothingQuality = 'high';
        canvas.getContext('2d').drawImage(bitmap, 0, 0, canvas.width, canvas.height);
        canvas.dataset.step = step;
        canvas.dataset.wish = wish;
        canvas.dataset.ms = Math.round(performance.now() - asked);
        canvas.dataset.revision = r.headers.get('X-Revision');
        this.lookInfo = last
          ? `finished, ${samples} samples`
          : `refining, ${samples} sample${samples === '1' ? '' : 's'}`;
        if (!last && wish === this.wish) this.lookTimer = setTimeout(() => this.look(step + 1), 0);
      })
      .catch(() => {
        clearTimeout(this.waitsTimer);
        this.inflight = '';
        this.lookInfo = 'the server cannot be reached';
        if (wish === this.wish) this.lookTimer = setTimeout(() => this.look(0), 2000);
      });
  },
  // a picture that takes longer says what it waits for, until it is there
  async sayWhatFor(wish) {
    const reply = await fetch(this.url('look/waits/')).catch(() => null);
    if (!reply || reply.status !== 200 || !this.inflight || wish !== this.wish) return;
    const { say } = await reply.json();
    if (!this.inflight || wish !== this.wish) return;
    this.lookInfo = say;
    this.waitsTimer = setTimeout(() => this.sayWhatFor(wish), 1000);
  },
  dragLook(e) {
    if (e.button) return;
    if (this.picking) {
      e.preventDefault();
      this.grey(e);
      return;
    }
    const c = this.free(),
      x0 = e.clientX,
      y0 = e.clientY,
      b0 = c.bearing,
      p0 = c.pitch,
      per = (2 * Math.atan(18 / c.focal) * 180) / Math.PI / refs.look.clientWidth;
    refs.look.focus();
    const move = (m) => {
      const k = m.shiftKey ? 0.25 : 1;
      c.bearing = (b0 - (m.clientX - x0) * per * k + 360) % 360;
      c.pitch = clamp(p0 + (m.clientY - y0) * per * k, -89, 89);
      this.look();
      this.drawWedgeNow();
    };
    const up = () => {};
    pointerDrag(move, up);
  },
  wheelLook(e) {
    e.preventDefault();
    this.walk(0, -Math.sign(e.deltaY) * (e.shiftKey ? 0.3 : 1.5));
  },
  walk(right, ahead, up = 0) {
    Object.assign(this.free(), stepped(this.free(), right, ahead, up));
    this.look();
    this.drawWedgeNow();
  },
  rollLook(by) {
    const c = this.free();
    let roll = (c.roll || 0) + by;
    if (Math.abs(roll) < 0.15) roll = 0;
    c.roll = clamp(roll, -180, 180);
    this.look();
    this.say(c.roll ? `Rolled by ${c.roll.toFixed(1)}°.` : '');
  },
  // a spot on the ground some steps ahead of the camera
  ahead() {
    return groundAhead(this.camera());
  },
  pickGrey() {
    this.picking = 'grey';
    this.say('Click something in the look that should be neutral grey.');
  },
  async grey(e) {
    const what = this.picking;
    this.picking = '';
    this.say('');
    if (what !== 'grey') {
      this.pickedSpot(what, e);
      return;
    }
    const r = refs.look.getBoundingClientRect(),
      form = new FormData();
    for (const [k, v] of Object.entries({
      u: (e.clientX - r.left) / r.width,
      v: (e.clientY - r.top) / r.height,
      rev: this.s.rev,
      shot: this.s.shot.id,
    }))
      form.set(k, v);
    await this.post('grey/', form);
  },
  pickSpot(what) {
    this.picking = what;
    this.say(what === 'focus' ? 'Click what should be sharp.' : 'Click the spot that is circled, or looked at.');
  },
  async pickedSpot(what, e) {
    const r = refs.look.getBoundingClientRect();
    const reply = await fetch(
      this.url(`spot/?u=${(e.clientX - r.left) / r.width}&v=${(e.clientY - r.top) / r.height}`),
    );
    const data = await reply.json().catch(() => ({ error: 'This spot cannot be read.' }));
    if (data.error) {
      this.say(data.error);
      return;
    }
    if (what === 'subject') {
      const route = `/shots/${this.s.shot.id}/route`;
      this.command({
        op: 'several',
        edits: [
          { op: 'set', path: `${route}/subject`, value: '' },
          { op: 'set', path: `${route}/spot`, value: data.point },
        ],
        label: 'subject: a spot of the look',
      });
      return;
    }
    if (this.station(this.selected))
      this.command({
        op: 'set',
        path: `/shots/${this.s.shot.id}/route/stations/${this.selected}/focus`,
        value: Math.max(0.1, data.distance),
      });
    else
      this.send({
        typed: this.typedOf(`/shots/${this.s.shot.id}/exposure/focus`, `${Math.max(0.1, data.distance)} m`),
      });
  },
  towards(st) {
    const d = [st.aim[0] - st.east, st.aim[1] - st.north, st.aim[2] - st.up];
    return {
      bearing: ((Math.atan2(d[0], d[1]) * 180) / Math.PI + 360) % 360,
      pitch: (Math.atan2(d[2], Math.hypot(d[0], d[1])) * 180) / Math.PI,
    };
  },
  async showAmount() {
    if (this.amounts) {
      this.amounts = null;
      return;
    }
    this.setBusy('measuring what moves …');
    const q = new URLSearchParams({
      shot: this.s.shot.id,
      t: this.t.toFixed(4),
    });
    if (this.cam) q.set('cam', this.cameraText());
    const reply = await fetch(this.url(`amount/?${q}`)).catch(() => null),
      said = reply
        ? await reply.json().catch(() => ({ error: 'The server could not answer.' }))
        : { error: 'The server cannot be reached.' };
    this.setBusy('');
    if (reply && reply.status === 204) return; // it was asked anew
    if (said.error) {
      this.say(said.error);
      return;
    }
    this.amounts = said;
    this.look();
  },
  aimPoint(st, px) {
    const dx = st.aim[0] - st.east,
      dy = st.aim[1] - st.north,
      k = (46 * px) / Math.max(1e-6, Math.hypot(dx, dy));
    return [st.east + dx * k, st.north + dy * k];
  },
};
