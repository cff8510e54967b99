/* The workspace. One state object; the playhead, chart, look, drawing and slip all read the same instant. */
'use strict';

const svgns = 'http://www.w3.org/2000/svg';
const clamp = (v, a, b) => Math.min(b, Math.max(a, v));
const el = (tag, attrs = {}, ...kids) => {
  const e = document.createElementNS(svgns, tag);
  for (const [k, v] of Object.entries(attrs)) if (v !== null && v !== undefined) e.setAttribute(k, v);
  for (const kid of kids) e.append(kid);
  return e;
};

document.addEventListener('alpine:init', () => {
  Alpine.data('workspace', (initial) => ({
    ...timelinePart,
    ...routePart,
    ...cutPart,
    s: initial,
    bench: 'route',
    selected: '',
    t: 0,
    playing: false,
    units: 'frames',
    cam: null,
    focal: null,
    lookInfo: '',
    fault: '',
    offer: null,
    busy: '',
    tab: Math.random().toString(36).slice(2, 8),
    chart: null,
    view: null,
    drawing: null,
    wish: Date.now() % 1e9,
    lookTimer: 0,
    laneTop: 0,
    laneHigh: 0,
    readout: '',
    drafting: null,
    picking: '',
    noise: false,
    dialog: '',
    theme: document.documentElement.dataset.theme || '',
    split: Number(localStorage.getItem('lw-split') || 44),
    low: Number(localStorage.getItem('lw-low') || 0),
    deskSize: [0, 0],

    init() {
      this.units = localStorage.getItem('lw-units') || 'frames';
      this.loadChart();
      this.slip();
      this.look();
      this.refreshReady();
      this.askRide();
      window.addEventListener('keydown', (e) => this.key(e));
      // the value touched last is the one that K keys
      document.body.addEventListener('focusin', (e) => {
        const field = e.target.closest('#slip [data-path]');
        if (field) this.touched = field.dataset.path;
      });
      // a slip that arrives while somebody types must not wipe what is typed, nor take the focus away
      document.body.addEventListener('htmx:beforeSwap', (e) => {
        if (e.detail.target.id !== 'slip') return;
        const field = document.activeElement && document.activeElement.closest('#slip [data-path]');
        if (field && field.tagName === 'INPUT' && field.value !== field.dataset.was) {
          e.detail.shouldSwap = false;
          this.slipOwed = true;
        }
        this.slipFocus = field ? field.dataset.path : '';
        // what is selected stays so: a first letter that comes after the swap still replaces the old value
        this.slipCaret =
          field && field.tagName === 'INPUT' && field.type === 'text'
            ? [field.selectionStart, field.selectionEnd, field.value.length]
            : null;
      });
      document.body.addEventListener('htmx:afterSwap', (e) => {
        if (e.detail.target.id !== 'slip' || !this.slipFocus) return;
        const field = document.querySelector(`#slip [data-path="${this.slipFocus}"]`);
        if (!field) return;
        field.focus();
        if (!this.slipCaret || field.tagName !== 'INPUT' || field.type !== 'text') return;
        const [a, b, long] = this.slipCaret;
        a === 0 && b === long ? field.select() : field.setSelectionRange(a, b);
      });
      window.addEventListener('resize', () => {
        this.drawTimeline();
        this.drawDrawing();
      });
      this.$watch('theme', () => this.drawSoon());
      this.$nextTick(() => {
        this.drawTimeline();
        this.drawDrawing();
      });
      document.fonts.ready.then(() => this.drawTimeline()); // a canvas does not wait for its letters
    },
    url(tail) {
      return `/places/${this.s.place}/${tail}`;
    },
    // the look's own camera, as every address that asks for it takes it
    cameraText() {
      const c = this.cam;
      return [c.x, c.y, c.z, c.bearing, c.pitch, c.focal, c.roll || 0].map((v) => v.toFixed(3)).join(',');
    },
    say(text) {
      this.fault = text;
      clearTimeout(this.faultTimer);
      if (text)
        this.faultTimer = setTimeout(() => {
          this.fault = '';
        }, 9000);
    },

    // -- edits ----------------------------------------------------------------------------------------
    // a change of this shot: sent with the revision it was made on
    postChange(tail, body) {
      return fetch(this.url(tail), {
        method: 'POST',
        headers: { 'Content-Type': 'application/json', 'X-CSRFToken': cookie('csrftoken') },
        body: JSON.stringify({ rev: this.s.rev, shot: this.s.shot.id, ...body }),
      });
    },
    async send(body) {
      let reply;
      try {
        reply = await this.postChange('edit/', body);
      } catch {
        this.say('The server cannot be reached: your change was not saved. Try again in a moment.');
        return false;
      }
      if (reply.redirected || !(reply.headers.get('Content-Type') || '').includes('json')) {
        this.say(
          'Your session has ended: sign in again (in another tab, to keep this page), then repeat the change.',
        );
        return false;
      }
      const data = await reply.json();
      if (data.ask) {
        this.ask = { ...data.ask, shot: this.s.shot.id };
        return false;
      }
      if (!reply.ok) {
        this.say(data.error);
        if (data.state) this.take_state(data.state);
        else this.slip();
        return false;
      }
      this.say('');
      this.take_state(data);
      return true;
    },
    take_state(state) {
      if (state.shot.id !== this.s.shot.id) {
        this.frames = {};
        this.win = this.range = null;
        this.openLane = '';
        this.setPicked({});
      }
      if (this.range && this.range[1] > state.shot.frames) this.range = null;
      this.s = state;
      this.ask = null;
      this.amounts = null;
      this.numbers = null;
      this.t = clamp(this.t, 0, Math.max(0, state.shot.seconds - 1 / this.fps()));
      this.playing = false;
      if (this.openLane && !this.lane(this.openLane)) this.openLane = '';
      this.setPicked(
        Object.fromEntries(
          Object.entries(this.pickedNext || this.picked).map(([path, ts]) => [
            path,
            ts.filter((t) => (this.lane(path) || { keys: [] }).keys.some((k) => near(k.t, t))),
          ]),
        ),
      );
      // what lies ready is asked for once the look has answered; until then nothing old is shown as ready
      this.frames = {};
      clearTimeout(this.readyTimer);
      this.readyTimer = setTimeout(() => this.refreshReady(), 1200);
      if (this.filling) {
        clearTimeout(this.fillTimer);
        this.fillTimer = setTimeout(() => {
          if (this.filling) this.rehearse(true);
        }, 1300);
      }
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
      this.t = 0;
      this.selected = '';
      this.cam = null;
      this.take_state(await reply.json());
      this.frameChart();
      this.drawChart();
    },

    // -- the slip -------------------------------------------------------------------------------------
    slip() {
      const q = new URLSearchParams({
        bench: this.bench,
        shot: this.s.shot.id,
        selected: this.selected,
        t: this.t.toFixed(4),
        tab: this.bench === 'cut' ? this.cutTab : this.tab_,
      });
      htmx.ajax('GET', this.url(`slip/?${q}`), {
        target: '#slip',
        swap: 'innerHTML',
      });
    },
    setBench(b) {
      this.bench = b;
      this.drafting = null;
      this.chartMode = '';
      this.slip();
      this.drawChart();
      this.$nextTick(() => this.drawDrawing());
      if (b === 'cut') this.askFilm();
      else if (this.filmPlaying || this.lookInfo === 'of the film') {
        this.filmPlaying = false;
        this.look();
      }
    },
    select(id) {
      this.selected = id;
      this.slip();
      this.drawChart();
    },
    typed(input) {
      if (input.value === input.dataset.was) {
        if (this.slipOwed) {
          this.slipOwed = false;
          this.slip();
        }
        return;
      }
      this.slipOwed = false;
      input.dataset.was = input.value; // a blur right after the change says nothing new
      this.send({ typed: this.typedOf(input.dataset.path, input.value) });
    },
    typedOf(path, text) {
      return { path, text, t: this.t, auto: this.changesKey, keep: this.keep };
    },
    stepField(e, input) {
      const up = e.key === 'ArrowUp' ? 1 : e.key === 'ArrowDown' ? -1 : 0;
      if (!up || !input.dataset.step) return;
      e.preventDefault();
      const v = Number(input.dataset.value) + up * Number(input.dataset.step) * (e.shiftKey ? 0.1 : 1);
      this.send({
        typed: this.typedOf(input.dataset.path, String(+v.toPrecision(8))),
      });
    },
    dragField(e, input) {
      if (!input || !input.dataset.step) return;
      const x0 = e.clientX,
        v0 = Number(input.dataset.value),
        step = Number(input.dataset.step);
      let v = v0;
      const move = (m) => {
        v = v0 + Math.round((m.clientX - x0) / 4) * step * (m.shiftKey ? 0.1 : 1);
        input.value = +v.toPrecision(6);
      };
      const up = () => {
        window.removeEventListener('pointermove', move);
        window.removeEventListener('pointerup', up);
        if (v !== v0)
          this.send({
            typed: this.typedOf(input.dataset.path, String(+v.toPrecision(8))),
          });
      };
      window.addEventListener('pointermove', move);
      window.addEventListener('pointerup', up);
      e.preventDefault();
    },
    keyTouched() {
      const pin = document.querySelector(`#slip .field:has([data-path="${this.touched}"]) .pin`);
      pin
        ? pin.click()
        : this.offerPins('Which value of the slip is to be keyed at the playhead?', (path) => {
            this.touched = path;
            this.keyTouched();
          });
    },
    // a wish that lacks its value: the values of the slip that carry a pin are offered for it
    offerPins(words, act) {
      const fields = [...document.querySelectorAll('#slip .field:has(.pin)')].slice(0, 6);
      this.offer = {
        words: fields.length ? words : 'Nothing in the slip can be animated: select something that can, first.',
        choices: fields.map((field) => ({
          text: field.querySelector('label').textContent.trim(),
          act: () => act(field.querySelector('[data-path]').dataset.path),
        })),
      };
    },
    pin(path, value, kind) {
      this.touched = path;
      this.command({
        op: 'key',
        path,
        t: +this.t.toFixed(6),
        value: kind === 'number' ? Number(value) : value,
      });
    },

    async bring(input, what, path) {
      const file = input.files[0];
      if (!file) return;
      const at = this.ahead(),
        form = new FormData();
      for (const [k, v] of Object.entries({
        what,
        path,
        rev: this.s.rev,
        shot: this.s.shot.id,
        east: at.east,
        north: at.north,
        up: at.up,
      }))
        form.set(k, v);
      form.set('file', file);
      this.busy = `taking in ${file.name} …`;
      await this.post('bring/', form);
      this.busy = '';
      input.value = '';
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
        return;
      }
      const data = reply.redirected
        ? { error: 'Your session has ended: sign in again.' }
        : await reply.json().catch(() => ({ error: 'The server could not take this in.' }));
      if (!reply.ok || data.error) {
        this.say(data.error);
        return;
      }
      if (data.id) this.selected = data.id;
      this.take_state(data.state);
      this.say(data.note ? `Taken in. ${data.note}.` : '');
    },
    // a spot on the ground some steps ahead of the camera
    ahead() {
      const c = this.camera(),
        b = (c.bearing * Math.PI) / 180,
        d = c.pitch < -3 ? clamp(1.7 / Math.tan((-c.pitch * Math.PI) / 180), 3, 25) : 10;
      return {
        east: +(c.x + Math.sin(b) * d).toFixed(2),
        north: +(c.y + Math.cos(b) * d).toFixed(2),
        up: +(c.z - 1.6).toFixed(2),
      };
    },
    addHere(c) {
      if (c.to === 'lamps') {
        const at = this.ahead();
        c = { ...c, item: { ...c.item, ...at, up: +(at.up + 2.6).toFixed(2) } };
      }
      this.command(c).then((ok) => {
        if (ok) this.select(c.item.id);
      });
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

    // -- the look -------------------------------------------------------------------------------------
    routeCamera(t = this.t) {
      const rows = Alpine.raw(this.s).route.samples;
      if (!rows || !rows.length) return { x: 0, y: 0, z: 6, bearing: 0, pitch: -5, focal: 28 };
      const k = clamp(t / this.s.shot.seconds, 0, 1) * (rows.length - 1),
        i = Math.min(Math.floor(k), rows.length - 2),
        f = k - i,
        a = rows[i],
        b = rows[i + 1];
      const mix = (j) => a[j] + (b[j] - a[j]) * f;
      let turn = ((b[4] - a[4] + 540) % 360) - 180;
      return {
        x: mix(1),
        y: mix(2),
        z: mix(3),
        bearing: (a[4] + turn * f + 360) % 360,
        pitch: mix(5),
        focal: mix(6),
      };
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
    look(step = 0) {
      if (this.playing && !this.cam && this.showReady()) return;
      clearTimeout(this.lookTimer);
      if (step === 0) this.wish += 1;
      const wish = this.wish;
      // one coarse picture is asked for at a time; a refinement under way gives way to it at once
      if (this.inflight === 'coarse' && step === 0) {
        this.again = true;
        return;
      }
      const q = new URLSearchParams({
        shot: this.s.shot.id,
        t: this.t.toFixed(5),
        step,
        wish,
        tab: this.tab,
      });
      if (this.cam) {
        q.set('cam', this.cameraText());
      }
      if (this.noise) q.set('noise', 1);
      this.inflight = step === 0 ? 'coarse' : 'fine';
      const asked = performance.now();
      fetch(this.url(`look/?${q}`))
        .then(async (r) => {
          if (step === 0 || wish === this.wish) this.inflight = '';
          if (step === 0 && this.again) {
            this.again = false;
            this.look(0);
            if (r.status !== 200) return;
          }
          if (step > 0 && wish !== this.wish) return;
          if (r.status === 204 || r.redirected) return;
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
          this.inflight = '';
          this.lookInfo = 'the server cannot be reached';
          if (wish === this.wish) this.lookTimer = setTimeout(() => this.look(0), 2000);
        });
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
        this.drawWedge();
      };
      const up = () => {
        window.removeEventListener('pointermove', move);
        window.removeEventListener('pointerup', up);
      };
      window.addEventListener('pointermove', move);
      window.addEventListener('pointerup', up);
    },
    wheelLook(e) {
      e.preventDefault();
      this.walk(0, -Math.sign(e.deltaY) * (e.shiftKey ? 0.3 : 1.5));
    },
    walk(right, ahead, up = 0) {
      const c = this.free(),
        b = (c.bearing * Math.PI) / 180,
        p = (c.pitch * Math.PI) / 180;
      c.x += Math.sin(b) * ahead * Math.cos(p) + Math.cos(b) * right;
      c.y += Math.cos(b) * ahead * Math.cos(p) - Math.sin(b) * right;
      c.z += Math.sin(p) * ahead + up;
      this.look();
      this.drawWedge();
    },
    words(s) {
      return s < 90 ? `${Math.round(s)} s` : s < 5400 ? `${Math.round(s / 60)} min` : `${(s / 3600).toFixed(1)} h`;
    },

    // -- keys -----------------------------------------------------------------------------------------
    key(e) {
      if (e.target.closest('input, select, textarea, dialog')) return;
      const k = e.key,
        slow = e.shiftKey ? 0.2 : 1,
        n = e.shiftKey ? 10 : 1;
      if (this.dialog && k !== 'Escape') return;
      if ((e.ctrlKey || e.metaKey) && k.toLowerCase() === 'z') {
        e.preventDefault();
        e.shiftKey ? this.redo() : this.undo();
        return;
      }
      if ((e.ctrlKey || e.metaKey) && k.toLowerCase() === 'c' && this.countPicked()) {
        e.preventDefault();
        this.copyKeys();
        return;
      }
      if ((e.ctrlKey || e.metaKey) && k.toLowerCase() === 'v' && this.copied) {
        e.preventDefault();
        this.pasteKeys('');
        return;
      }
      if (e.target === refs.lanes && this.keyLanes(e)) {
        e.preventDefault();
        return;
      }
      if (e.ctrlKey || e.metaKey || e.altKey) return;
      if (k === 'Delete' && this.countPicked()) {
        e.preventDefault();
        this.removeKeys();
        return;
      }
      const onButton = e.target.closest('button, a, [role=slider]');
      const acts = {
        w: () => this.walk(0, 1.2 * slow),
        s: () => this.walk(0, -1.2 * slow),
        a: () => this.walk(-1.2 * slow, 0),
        d: () => this.walk(1.2 * slow, 0),
        q: () => this.walk(0, 0, -0.5 * slow),
        e: () => this.walk(0, 0, 0.5 * slow),
        ArrowRight: () => this.toFrame(this.frame() + n),
        ArrowLeft: () => this.toFrame(this.frame() - n),
        Home: () => this.toFrame(1),
        End: () => this.toFrame(this.s.shot.frames),
        u: () => this.updateStation(this.selected),
        z: () => this.rollLook(-slow),
        x: () => this.rollLook(slow),
        k: () => this.keyTouched(),
        m: () => this.openMover(),
        r: () => this.rehearse(),
        t: () => {
          this.openTake();
        },
        '?': () => {
          this.dialog = this.dialog === 'keys' ? '' : 'keys';
        },
        Escape: () => {
          this.dialog = '';
          this.ask = null;
          this.drafting = null;
          this.chartMode = '';
          this.picking = '';
          this.views = [];
          this.setPicked({});
          this.drawChart();
        },
      };
      if (!onButton) {
        acts[' '] = () => this.play();
        acts.Enter = () => {
          this.drafting ? this.endDraft() : this.setStation();
        };
      }
      const benches = ['land', 'water', 'growth', 'air', 'route', 'cut'];
      if (/^[1-6]$/.test(k)) {
        this.setBench(benches[k - 1]);
        return;
      }
      const act = acts[k.length === 1 ? k.toLowerCase() : k];
      if (act) {
        e.preventDefault();
        act();
      }
    },
    openTake() {
      this.dialog = 'take';
      htmx.ajax(
        'GET',
        this.url(
          `take-form/?shot=${this.s.shot.id}${this.range ? `&first=${this.range[0]}&last=${this.range[1]}` : ''}`,
        ),
        { target: '#take-form', swap: 'innerHTML' },
      );
    },
    openHistory() {
      this.dialog = 'history';
      htmx.ajax('GET', this.url('history/'), {
        target: '#history',
        swap: 'innerHTML',
      });
    },
    nameState(number, called) {
      htmx.ajax('POST', this.url('history/name/'), {
        target: '#history',
        swap: 'innerHTML',
        values: { number, called },
      });
    },
    compareStates() {
      const a = document.querySelector('#history [name=a]:checked'),
        b = document.querySelector('#history [name=b]:checked');
      if (!a || !b) {
        this.say('Choose two states to compare.');
        return;
      }
      htmx.ajax('GET', this.url(`history/compare/?a=${a.value}&b=${b.value}`), {
        target: '#changes',
        swap: 'innerHTML',
      });
    },
    restore(number) {
      this.send({ restore: number });
      this.dialog = '';
    },
    setTheme() {
      this.theme = this.theme === 'dim' ? '' : 'dim';
      document.documentElement.dataset.theme = this.theme;
      localStorage.setItem('lw-theme', this.theme);
    },
    dragSplit(e) {
      const host = refs.desk.getBoundingClientRect();
      const move = (m) => {
        this.split = clamp((100 * (m.clientX - host.left)) / host.width, 25, 62);
      };
      const up = () => {
        window.removeEventListener('pointermove', move);
        window.removeEventListener('pointerup', up);
        localStorage.setItem('lw-split', this.split);
        this.drawDrawing();
        this.drawChart();
      };
      window.addEventListener('pointermove', move);
      window.addEventListener('pointerup', up);
      e.preventDefault();
    },
    // until a divider is put elsewhere, the look has the height its picture needs and the slip has the rest
    lowNow() {
      const [w, h] = this.deskSize;
      return (
        this.low || (h ? clamp(100 * (1 - (((w * (1 - this.split / 100) - 20) * 9) / 16 + 48) / h), 24, 46) : 27)
      );
    },
    dragLow(e) {
      const host = refs.desk.getBoundingClientRect();
      const move = (m) => {
        this.low = clamp((100 * (host.bottom - m.clientY)) / host.height, 15, 50);
      };
      const up = () => {
        window.removeEventListener('pointermove', move);
        window.removeEventListener('pointerup', up);
        localStorage.setItem('lw-low', this.low);
        this.drawDrawing();
      };
      window.addEventListener('pointermove', move);
      window.addEventListener('pointerup', up);
      e.preventDefault();
    },

    // -- the chart ------------------------------------------------------------------------------------
    async loadChart() {
      const reply = await fetch(this.url('chart/'));
      if (!reply.ok) return;
      this.chart = await reply.json();
      this.chartKey = this.s.chart;
      if (!this.view) this.frameChart();
      this.drawChart();
    },
    frameChart() {
      const [w, s, e, n] = this.chart.bounds,
        pts = this.s.route.samples.map((r) => [r[1], r[2]]);
      let box = [w, s, e, n];
      if (pts.length) {
        const xs = pts.map((p) => p[0]),
          ys = pts.map((p) => p[1]),
          cx = (Math.min(...xs) + Math.max(...xs)) / 2,
          cy = (Math.min(...ys) + Math.max(...ys)) / 2;
        const r = Math.max(Math.max(...xs) - Math.min(...xs), Math.max(...ys) - Math.min(...ys), (e - w) / 7) * 0.95;
        box = [cx - r, cy - r, cx + r, cy + r];
      }
      this.view = {
        x: (box[0] + box[2]) / 2,
        y: (box[1] + box[3]) / 2,
        wide: box[2] - box[0],
      };
    },
    viewBox() {
      const svg = refs.chart,
        k = svg.clientHeight / Math.max(1, svg.clientWidth),
        v = this.view;
      return [v.x - v.wide / 2, -v.y - (v.wide * k) / 2, v.wide, v.wide * k];
    },
    metres(e) {
      const svg = refs.chart,
        r = svg.getBoundingClientRect(),
        b = this.viewBox();
      return [b[0] + ((e.clientX - r.left) / r.width) * b[2], -(b[1] + ((e.clientY - r.top) / r.height) * b[3])];
    },
    px() {
      return !this.view || !refs.chart ? 1 : this.view.wide / Math.max(1, refs.chart.clientWidth);
    },
    drawChart() {
      keepingFocus(refs.chart, () => this.drawChartAnew());
    },
    drawChartAnew() {
      const svg = refs.chart,
        c = this.chart;
      if (!svg || !c || !svg.clientWidth) return;
      const px = this.px();
      svg.setAttribute('viewBox', this.viewBox().join(' '));
      const [w, s, e, n] = c.bounds;
      svg.replaceChildren();
      svg.append(
        el('rect', {
          x: w,
          y: -n,
          width: e - w,
          height: n - s,
          fill: 'var(--land)',
        }),
      );
      if (c.water)
        svg.append(
          el('path', {
            d: c.water,
            fill: 'var(--water)',
            'fill-rule': 'evenodd',
            stroke: 'var(--tide)',
            'stroke-width': 1.4 * px,
          }),
        );
      for (const l of c.lines)
        svg.append(
          el('path', {
            d: l.d,
            fill: 'none',
            stroke: l.index ? 'var(--contour-index)' : 'var(--contour)',
            'stroke-width': (l.index ? 1.1 : 0.7) * px,
          }),
        );
      for (const st of c.stands) this.drawStand(svg, st, px);
      for (const b of c.built) {
        if (b.line.length > 1) {
          const d = 'M' + b.line.map((p) => `${p[0]} ${-p[1]}`).join('L');
          svg.append(
            el('path', {
              d,
              fill: 'none',
              stroke: 'var(--ink)',
              'stroke-width': Math.max(b.width, 4 * px),
            }),
            el('path', {
              d,
              fill: 'none',
              stroke: 'var(--sheet)',
              'stroke-width': Math.max(b.width - 2 * px, 2 * px),
              'stroke-dasharray': `${1.5 * px} ${1.5 * px}`,
            }),
          );
        } else
          svg.append(
            el('rect', {
              x: b.line[0][0] - b.width / 2,
              y: -b.line[0][1] - b.width / 2,
              width: b.width,
              height: b.width * 0.8,
              fill: 'var(--sheet)',
              stroke: 'var(--ink)',
              'stroke-width': px,
              transform: `rotate(${b.turn} ${b.line[0][0]} ${-b.line[0][1]})`,
            }),
          );
        const at = b.line[Math.floor(b.line.length / 2)];
        if (this.bench === 'land' && px < 0.9)
          svg.append(
            el(
              'text',
              {
                'font-size': 10 * px,
                fill: 'var(--faint)',
                stroke: 'var(--land)',
                'stroke-width': 2.5 * px,
                'paint-order': 'stroke',
                'data-label': `${at[0]},${-at[1]}`,
              },
              b.name,
            ),
          );
      }
      for (const m of c.marks) this.drawMark(svg, m, px);
      // the way lies on a sheet of its own, so that dragging a station draws no contour anew
      this.overlay = refs.over;
      this.overlay.setAttribute('viewBox', this.viewBox().join(' '));
      this.drawRoute();
      if (this.drafting) this.drawDraft();
      this.drawScale(svg, px);
    },
    // names stand where they hide neither another name nor a mark: beside their spot, else over or under
    // it, else not at all
    settleLabels(px) {
      // drawn at every step of a drag: by the plain data, not the watched one
      const taken = [
        ...Alpine.raw(this.s).route.stations.map((st) => [st.east, -st.north]),
        ...Alpine.raw(this.chart).marks.map((m) => {
          const [e, n] = m.held || this.placedAt(m.of, m);
          return [e, -n];
        }),
        ...this.views.map((v) => [v.east, -v.north]),
      ].map(([x, y]) => [x - 6 * px, y - 6 * px, x + 6 * px, y + 6 * px]);
      const clear = (b) => !taken.some((o) => b[0] < o[2] && b[2] > o[0] && b[1] < o[3] && b[3] > o[1]);
      for (const text of [
        ...this.overlay.querySelectorAll('[data-label]'),
        ...refs.chart.querySelectorAll('[data-label]'),
      ]) {
        const [x, y] = text.dataset.label.split(',').map(Number),
          high = Number(text.getAttribute('font-size')),
          wide = text.textContent.length * high * 0.55,
          r = 8 * px;
        const over = [
            [-wide / 2, -r * 1.2],
            [-wide / 2, r * 2.2],
          ],
          beside = [
            [r, -r * 0.6],
            [r, r * 1.3],
            [-r - wide, -r * 0.6],
            [-r - wide, r * 1.3],
          ];
        const found = (text.dataset.over ? [...over, ...beside] : [...beside, ...over])
          .map(([dx, dy]) => [x + dx, y + dy - high * 0.8, x + dx + wide, y + dy + high * 0.2])
          .find(clear);
        text.setAttribute('visibility', found ? 'visible' : 'hidden');
        if (found) {
          text.setAttribute('x', found[0]);
          text.setAttribute('y', found[3] - high * 0.2);
          taken.push(found);
        }
      }
    },
    // models are small squares with a corner cut, lamps circles with short strokes about them
    drawMark(svg, m, px) {
      const on = m.id === this.selected,
        r = 5 * px,
        [east, north] = m.held || this.placedAt(m.of, m),
        x = east,
        y = -north,
        g = el('g', {
          tabindex: 0,
          role: 'button',
          'aria-label': `${m.of === 'lamps' ? 'Lamp' : 'Model'} ${m.name}`,
          style: 'cursor:grab',
          'data-mark': m.id,
        });
      if (m.of === 'lamps') {
        let d = '';
        for (let k = 0; k < 6; k++) {
          const a = (k * Math.PI) / 3;
          const [c, s] = [Math.cos(a) * r, Math.sin(a) * r];
          d += `M${x + c * 1.35} ${y + s * 1.35}L${x + c * 2} ${y + s * 2}`;
        }
        g.append(
          el('path', { d, stroke: 'var(--amber)', 'stroke-width': 1.4 * px }),
          el('circle', {
            cx: x,
            cy: y,
            r,
            fill: on ? 'var(--amber-fill)' : 'var(--sheet)',
            stroke: 'var(--amber)',
            'stroke-width': 1.8 * px,
          }),
        );
      } else
        g.append(
          el('path', {
            d: `M${x - r} ${y - r}H${x + r * 0.3}L${x + r} ${y - r * 0.3}V${y + r}H${x - r}Z`,
            fill: on ? 'var(--amber-fill)' : 'var(--sheet)',
            stroke: 'var(--ink)',
            'stroke-width': 1.6 * px,
          }),
        );
      if (on || (this.bench === 'land' && px < 0.9))
        g.append(
          el(
            'text',
            {
              'data-label': `${x},${y}`,
              'font-size': 10 * px,
              fill: 'var(--faint)',
              stroke: 'var(--land)',
              'stroke-width': 2.5 * px,
              'paint-order': 'stroke',
            },
            m.name,
          ),
        );
      const pick = () => {
        if (!['land', 'air'].includes(this.bench) || (this.bench === 'air' && m.of === 'things')) this.bench = 'land';
        this.select(m.id);
      };
      g.addEventListener('keydown', (e) => {
        if (e.key === 'Enter') {
          e.preventDefault();
          e.stopPropagation();
          pick();
        }
      });
      g.addEventListener('pointerdown', (e) => {
        if (e.button || this.drafting) return;
        e.stopPropagation();
        e.preventDefault();
        const from = this.metres(e),
          home = this.placedAt(m.of, m);
        let moved = false;
        const move = (n) => {
          const p = this.metres(n);
          if (!moved && Math.hypot(p[0] - from[0], p[1] - from[1]) < 3 * this.px()) return;
          moved = true;
          m.held = [home[0] + p[0] - from[0], home[1] + p[1] - from[1]];
          this.drawChart();
        };
        const up = () => {
          window.removeEventListener('pointermove', move);
          window.removeEventListener('pointerup', up);
          if (!moved) {
            pick();
            return;
          }
          const [east, north] = m.held;
          m.held = null;
          if (!this.lane(`/${m.of}/${m.id}/east`)) [m.east, m.north] = [east, north];
          this.send({
            command: {
              op: 'move',
              of: m.of,
              id: m.id,
              east,
              north,
              t: +this.t.toFixed(6),
            },
            auto: this.changesKey,
          });
        };
        window.addEventListener('pointermove', move);
        window.addEventListener('pointerup', up);
      });
      svg.append(g);
    },
    drawStand(svg, st, px) {
      const picked = st.id === this.selected,
        g = el('g', {
          tabindex: this.bench === 'growth' ? 0 : null,
          role: 'button',
          'aria-label': `Stand ${st.name}`,
          style: this.bench === 'growth' ? 'cursor:pointer' : null,
          'data-stand': st.id,
        });
      if (st.area.length > 2 && (this.bench === 'growth' || picked))
        g.append(
          el('polygon', {
            points: st.area.map((p) => `${p[0]},${-p[1]}`).join(' '),
            fill: picked ? 'var(--marsh)' : 'transparent',
            'fill-opacity': 0.12,
            stroke: 'var(--marsh)',
            'stroke-width': (picked ? 2 : 1) * px,
            'stroke-dasharray': `${5 * px} ${3 * px}`,
          }),
        );
      for (const d of st.dots)
        g.append(
          el('circle', {
            cx: d[0],
            cy: -d[1],
            r: Math.max(d[2], 1.6 * px),
            fill: st.kind === 'pine' ? 'var(--marsh)' : 'var(--amber-fill)',
            'fill-opacity': 0.28,
            stroke: 'var(--marsh)',
            'stroke-width': 0.6 * px,
          }),
        );
      if (st.kind === 'reed' && st.area.length > 2) {
        const xs = st.area.map((p) => p[0]),
          ys = st.area.map((p) => p[1]),
          step = 16 * px;
        let d = '',
          count = 0;
        for (let x = Math.min(...xs); x < Math.max(...xs) && count < 500; x += step)
          for (let y = Math.min(...ys); y < Math.max(...ys) && count < 500; y += step) {
            const qx = x + (((y / step) % 2) * step) / 2;
            if (inside(st.area, qx, y)) {
              count++;
              d += `M${qx} ${-y}v${-5 * px}M${qx - 2.4 * px} ${-y}l${-1.6 * px} ${-3.5 * px}`;
              d += `M${qx + 2.4 * px} ${-y}l${1.6 * px} ${-3.5 * px}`;
            }
          }
        g.append(
          el('path', {
            d,
            stroke: 'var(--marsh)',
            'stroke-opacity': 0.55,
            'stroke-width': 0.8 * px,
            fill: 'none',
          }),
        );
      }
      if (this.bench === 'growth') {
        const pick = () => this.select(st.id);
        g.addEventListener('click', (e) => {
          if (!this.drafting) {
            e.stopPropagation();
            pick();
          }
        });
        g.addEventListener('keydown', (e) => {
          if (e.key === 'Enter') {
            e.stopPropagation();
            pick();
          }
        });
      }
      svg.append(g);
    },
    drawWedge() {
      if (!this.wedge || !this.view) return;
      const c = this.camera(),
        px = this.held ? this.held.px : this.px(),
        b = (c.bearing * Math.PI) / 180,
        h = Math.atan(18 / c.focal),
        r = 62 * px;
      const pt = (a) => `${c.x + Math.sin(a) * r} ${-(c.y + Math.cos(a) * r)}`;
      this.wedge.replaceChildren(
        el('path', {
          d: `M${c.x} ${-c.y}L${pt(b - h)}A${r} ${r} 0 0 1 ${pt(b + h)}Z`,
          fill: 'var(--amber-fill)',
          'fill-opacity': 0.25,
          stroke: 'var(--amber)',
          'stroke-width': px,
          'data-wedge': 1,
        }),
        el('circle', { cx: c.x, cy: -c.y, r: 3.5 * px, fill: 'var(--amber)' }),
      );
    },
    drawScale(svg, px) {
      const b = this.viewBox(),
        want = 90 * px,
        pow = 10 ** Math.floor(Math.log10(want)),
        len = [5, 2, 1].map((k) => k * pow).find((v) => v <= want) || pow,
        x = b[0] + 12 * px,
        y = b[1] + b[3] - 12 * px;
      svg.append(
        el('path', {
          d: `M${x} ${y - 3 * px}V${y + 3 * px}M${x} ${y}H${x + len}M${x + len} ${y - 3 * px}V${y + 3 * px}`,
          stroke: 'var(--ink)',
          'stroke-width': 1.2 * px,
          fill: 'none',
        }),
        el(
          'text',
          {
            x: x + len + 5 * px,
            y: y + 3.5 * px,
            'font-size': 10.5 * px,
            fill: 'var(--ink)',
            'font-family': 'IBM Plex Mono',
          },
          len >= 1000 ? `${len / 1000} km` : `${len} m`,
        ),
      );
      const nx = b[0] + b[2] - 20 * px,
        ny = b[1] + 34 * px,
        turn = this.chart.north;
      svg.append(
        el(
          'g',
          { transform: `rotate(${turn} ${nx} ${ny - 12 * px})` },
          el('path', {
            d:
              `M${nx} ${ny}V${ny - 24 * px}M${nx - 4 * px} ${ny - 17 * px}` +
              `L${nx} ${ny - 25 * px}L${nx + 4 * px} ${ny - 17 * px}`,
            stroke: 'var(--ink)',
            'stroke-width': 1.4 * px,
            fill: 'none',
          }),
          el(
            'text',
            {
              x: nx,
              y: ny + 12 * px,
              'font-size': 11 * px,
              'text-anchor': 'middle',
              fill: 'var(--ink)',
            },
            'N',
          ),
        ),
      );
      svg.append(
        el(
          'text',
          {
            x: b[0] + b[2] - 8 * px,
            y: y + 3.5 * px,
            'font-size': 10 * px,
            'text-anchor': 'end',
            fill: 'var(--faint)',
          },
          `contours every ${this.chart.interval} m`,
        ),
      );
    },
    panChart(e) {
      if (e.button || !this.view) return;
      if (this.chartMode === 'stand') {
        this.standOnChart(e);
        return;
      }
      if (this.drafting) {
        // redrawing under the pointer swallows the browser's own double click, so it is told by time and place
        const now = performance.now(),
          twice =
            this.lastPress &&
            now - this.lastPress.at < 450 &&
            Math.hypot(e.clientX - this.lastPress.x, e.clientY - this.lastPress.y) < 6;
        this.lastPress = { at: now, x: e.clientX, y: e.clientY };
        if (twice) {
          this.endDraft();
          return;
        }
        this.drafting.push(this.metres(e).map((v) => +v.toFixed(1)));
        this.drawChart();
        return;
      }
      const x0 = e.clientX,
        y0 = e.clientY,
        v0 = { ...this.view },
        px = this.px();
      const move = (m) => {
        this.view.x = v0.x - (m.clientX - x0) * px;
        this.view.y = v0.y + (m.clientY - y0) * px;
        for (const sheet of [refs.chart, refs.over]) sheet.setAttribute('viewBox', this.viewBox().join(' '));
      };
      const up = () => {
        window.removeEventListener('pointermove', move);
        window.removeEventListener('pointerup', up);
        this.drawChart();
      };
      window.addEventListener('pointermove', move);
      window.addEventListener('pointerup', up);
    },
    zoomChart(e) {
      e.preventDefault();
      const p = this.metres(e),
        k = e.deltaY > 0 ? 1.2 : 1 / 1.2;
      this.view.wide = clamp(this.view.wide * k, 5, 4e5);
      const q = this.metres(e);
      this.view.x += p[0] - q[0];
      this.view.y += p[1] - q[1];
      this.drawChart();
    },
    drawing_stand() {
      this.startDraft('stand');
    },
    startDraft(what) {
      this.drafting = [];
      this.draftOf = what;
      this.chartMode = '';
      this.say('');
      this.drawChart();
    },
    drawDraft() {
      const px = this.px();
      this.overlay.append(
        el('polyline', {
          points: this.drafting.map((p) => `${p[0]},${-p[1]}`).join(' '),
          fill: 'var(--marsh)',
          'fill-opacity': 0.15,
          stroke: 'var(--marsh)',
          'stroke-width': 2 * px,
        }),
      );
      for (const p of this.drafting)
        this.overlay.append(
          el('circle', {
            cx: p[0],
            cy: -p[1],
            r: 3 * px,
            fill: 'var(--marsh)',
          }),
        );
    },
    endDraft() {
      if (!this.drafting) return;
      const area = this.drafting.filter(
        (p, i, all) => !i || Math.hypot(p[0] - all[i - 1][0], p[1] - all[i - 1][1]) > 1e-6,
      );
      this.drafting = null;
      if (this.draftOf === 'way') {
        this.drawnWay(area);
        return;
      }
      if (area.length < 3) {
        this.say('A stand needs at least three corners.');
        this.drawChart();
        return;
      }
      const ids = this.chart.stands.map((q) => q.id);
      let k = 1;
      while (ids.includes(`stand${k}`)) k++;
      this.command({
        op: 'add',
        to: 'growth',
        item: {
          id: `stand${k}`,
          name: `Stand ${k}`,
          kind: 'alder',
          area,
          per_hectare: 150,
          height: 8,
          seed: k + 20,
        },
      }).then((ok) => {
        if (ok) this.select(`stand${k}`);
      });
    },

    // -- drawings under the chart ---------------------------------------------------------------------
    drawDrawing() {
      keepingFocus(refs.drawing, () => this.drawDrawingAnew());
    },
    drawDrawingAnew() {
      const svg = refs.drawing;
      if (!svg || !(this.held || svg.clientWidth)) return;
      const [W, H] = this.held ? this.held.size : [svg.clientWidth, svg.clientHeight];
      svg.setAttribute('viewBox', `0 0 ${W} ${H}`);
      svg.replaceChildren();
      (
        ({
          air: () => this.drawSun(svg, W, H),
          water: () => this.drawWaves(svg, W, H),
          cut: () => this.drawFilm(svg, W, H),
        })[this.bench] || (() => this.drawSection(svg, W, H))
      )();
    },
    drawSun(svg, W, H) {
      const path = this.s.day.path,
        X = (az) => (az / 360) * W,
        Y = (e) => H * 0.72 - (e / 90) * H * 0.68;
      svg.append(
        el('rect', {
          x: 0,
          y: Y(0),
          width: W,
          height: H - Y(0),
          fill: 'var(--contour)',
          'fill-opacity': 0.3,
        }),
        el('line', {
          x1: 0,
          x2: W,
          y1: Y(0),
          y2: Y(0),
          stroke: 'var(--contour-index)',
        }),
      );
      for (const [az, name] of [
        [0, 'N'],
        [45, 'NE'],
        [90, 'E'],
        [135, 'SE'],
        [180, 'S'],
        [225, 'SW'],
        [270, 'W'],
        [315, 'NW'],
      ])
        svg.append(el('text', { x: X(az) + 3, y: H - 5, 'font-size': 11, fill: 'var(--faint)' }, name));
      for (const e of [30, 60])
        svg.append(
          el('line', {
            x1: 0,
            x2: W,
            y1: Y(e),
            y2: Y(e),
            stroke: 'var(--rule)',
          }),
          el('text', { x: W - 26, y: Y(e) - 3, 'font-size': 10, fill: 'var(--faint)' }, `${e}°`),
        );
      let d = '';
      path.forEach((p, i) => {
        d += (i && Math.abs(p[1] - path[i - 1][1]) < 180 ? 'L' : 'M') + `${X(p[1]).toFixed(1)} ${Y(p[2]).toFixed(1)}`;
      });
      svg.append(
        el('path', {
          d,
          fill: 'none',
          stroke: 'var(--amber)',
          'stroke-width': 1.8,
        }),
      );
      for (const p of path)
        if (Number.isInteger(p[0]) && p[0] % 3 === 0 && p[0] < 24 && p[2] > -16)
          svg.append(
            el('circle', {
              cx: X(p[1]),
              cy: Y(p[2]),
              r: 2,
              fill: 'var(--amber)',
            }),
            el(
              'text',
              {
                x: X(p[1]) + 4,
                y: Y(p[2]) - 4,
                'font-size': 10.5,
                fill: 'var(--ink)',
                'font-family': 'IBM Plex Mono',
              },
              `${p[0]}h`,
            ),
          );
      const c = this.camera(),
        h = (Math.atan(18 / c.focal) * 180) / Math.PI;
      svg.append(
        el('rect', {
          x: X((c.bearing - h + 360) % 360),
          y: Y(0) - 6,
          width: X(2 * h),
          height: 6,
          fill: 'var(--tide)',
          'fill-opacity': 0.5,
        }),
      );
      const now = this.hourAt(this.t),
        hour = now.getUTCHours() + now.getUTCMinutes() / 60,
        i = clamp(Math.floor(hour * 4), 0, path.length - 2),
        f = hour * 4 - i;
      const el_ = path[i][2] + (path[i + 1][2] - path[i][2]) * f,
        az = path[i][1] + (((path[i + 1][1] - path[i][1] + 540) % 360) - 180) * f;
      svg.append(
        el('circle', {
          cx: X((az + 360) % 360),
          cy: Y(el_),
          r: 7,
          fill: 'var(--amber-fill)',
          stroke: 'var(--ink)',
          'stroke-width': 1.2,
        }),
      );
      svg.append(
        el(
          'text',
          {
            x: 8,
            y: 14,
            'font-size': 11.5,
            fill: 'var(--ink)',
            'font-family': 'IBM Plex Mono',
          },
          `sun ${el_.toFixed(1)}° up, bearing ${((az + 360) % 360).toFixed(0)}° ` +
            `at ${this.clockAt(this.t)} · ${this.s.day.words}`,
        ),
      );
    },
    async drawWaves(svg, W, H) {
      const reply = await fetch(this.url(`waves/?shot=${this.s.shot.id}&t=${this.t.toFixed(3)}`));
      if (!reply.ok || this.bench !== 'water') return;
      const d = await reply.json();
      svg.replaceChildren();
      if (!d.spectrum.length) {
        svg.append(el('text', { x: 12, y: 24, 'font-size': 13, fill: 'var(--faint)' }, d.words));
        return;
      }
      const top = Math.max(...d.spectrum.map((p) => p[1])),
        X = (f) => 34 + (f / d.spectrum.at(-1)[0]) * (W - 50),
        Y = (s) => H - 22 - (s / top) * (H - 52);
      svg.append(
        el('path', {
          d: `M34 ${H - 22}H${W - 10}`,
          stroke: 'var(--contour-index)',
        }),
        el('path', {
          d:
            'M' +
            d.spectrum.map((p) => `${X(p[0]).toFixed(1)} ${Y(p[1]).toFixed(1)}`).join('L') +
            `L${X(d.spectrum.at(-1)[0])} ${H - 22}L${X(0)} ${H - 22}Z`,
          fill: 'var(--water)',
          stroke: 'var(--tide)',
          'stroke-width': 1.6,
        }),
      );
      for (const s of [2, 3, 4, 6, 10]) {
        const f = 1 / s;
        if (X(f) < W - 10)
          svg.append(
            el('line', {
              x1: X(f),
              x2: X(f),
              y1: H - 22,
              y2: H - 18,
              stroke: 'var(--ink)',
            }),
            el(
              'text',
              {
                x: X(f),
                y: H - 6,
                'font-size': 10.5,
                'text-anchor': 'middle',
                fill: 'var(--faint)',
                'font-family': 'IBM Plex Mono',
              },
              `${s} s`,
            ),
          );
      }
      svg.append(
        el(
          'text',
          {
            x: 8,
            y: 14,
            'font-size': 11.5,
            fill: 'var(--ink)',
            'font-family': 'IBM Plex Mono',
          },
          d.words,
        ),
      );
    },
    tapDrawing(e) {
      if (['air', 'water'].includes(this.bench)) return;
      if (this.bench === 'cut') {
        if (e.target.dataset.filmtime) this.scrubFilm(e);
        return;
      }
      if (this.paceDrawing) {
        this.drawPace(e);
        return;
      }
      const r = refs.drawing.getBoundingClientRect();
      this.go(((e.clientX - r.left) / r.width) * this.s.shot.seconds);
    },
  }));
});

function inside(ring, x, y) {
  let hit = false;
  for (let i = 0, j = ring.length - 1; i < ring.length; j = i++)
    if (
      ring[i][1] > y !== ring[j][1] > y &&
      x < ((ring[j][0] - ring[i][0]) * (y - ring[i][1])) / (ring[j][1] - ring[i][1]) + ring[i][0]
    )
      hit = !hit;
  return hit;
}
