/* Takes in lock step: one, side by side, under a sliding edge, or their difference; with notes pinned to a
   time and a spot. */

import { cookie, pointerDrag, refs } from './kit/dom.js';

document.addEventListener('alpine:init', () => {
  Alpine.data('compare', (data) => ({
    a: data.a,
    b: data.b,
    mode: data.b ? 'side' : 'one',
    t: 0,
    playing: false,
    looping: true,
    edge: 0.5,
    gain: 4,
    noting: false,
    writing: null,
    text: '',
    late: 0,
    said: '',
    apart: '',
    pictures: new Map(),
    waiting: new Set(),

    init() {
      this.t = this.from();
      this.draw();
      window.addEventListener('keydown', (e) => this.key(e));
      new ResizeObserver(() => this.draw()).observe(refs.stage);
    },
    takes() {
      return this.b ? [this.a, this.b] : [this.a];
    },
    from() {
      return Math.min(...this.takes().map((k) => (k.first - 1) / k.fps));
    },
    to() {
      return Math.max(...this.takes().map((k) => k.last / k.fps));
    },
    rate() {
      return Math.max(...this.takes().map((k) => k.fps));
    },
    // the frame of a take that is seen at a clip time: each holds its own first and last beyond its ends
    frameOf(take, time) {
      const t = time === undefined ? this.t : time;
      return Math.min(take.last, Math.max(take.first, Math.floor(t * take.fps + 1e-4) + 1));
    },
    picture(take, t) {
      const key = take.keys[this.frameOf(take, t)];
      if (!key) return null;
      if (this.pictures.has(key)) return this.pictures.get(key);
      this.fetch(key);
      return null;
    },
    fetch(key) {
      if (this.waiting.has(key) || this.pictures.has(key)) return;
      this.waiting.add(key);
      const image = new Image();
      image.src = `/places/${data.place}/shown/${key}.jpg`;
      image
        .decode()
        .then(() => {
          this.pictures.set(key, image);
          this.waiting.delete(key);
          if (this.pictures.size > 900) this.pictures.delete(this.pictures.keys().next().value);
          if (!this.playing) this.draw();
        })
        .catch(() => {
          this.waiting.delete(key);
          this.said =
            'A frame could not be fetched: it may have been made room for. Rehearse or take the shot again.';
        });
    },
    ahead(count) {
      const f = this.rate();
      for (let k = 0; k < count; k++) {
        let t = this.t + k / f;
        if (t >= this.to()) t = this.from() + (t - this.to());
        for (const take of this.takes()) {
          const key = take.keys[this.frameOf(take, t)];
          if (key) this.fetch(key);
        }
      }
    },

    // -- drawing ---------------------------------------------------------------------------------------
    box(half) {
      const c = refs.stage,
        take = this.a,
        w = half === null ? c.width : c.width / 2 - 4,
        k = Math.min(w / take.width, c.height / take.height),
        x0 = half === 1 ? c.width / 2 + 4 : 0;
      return [x0 + (w - take.width * k) / 2, (c.height - take.height * k) / 2, take.width * k, take.height * k];
    },
    draw() {
      const c = refs.stage;
      if (!c || !c.clientWidth) return;
      const dpr = Math.min(2, window.devicePixelRatio || 1);
      if (c.width !== Math.round(c.clientWidth * dpr) || c.height !== Math.round(c.clientHeight * dpr)) {
        c.width = Math.round(c.clientWidth * dpr);
        c.height = Math.round(c.clientHeight * dpr);
      }
      const x = c.getContext('2d'),
        one = this.picture(this.a, this.t),
        two = this.b && this.picture(this.b, this.t);
      x.imageSmoothingQuality = 'high';
      x.filter = 'none';
      x.globalCompositeOperation = 'source-over';
      x.clearRect(0, 0, c.width, c.height);
      const put = (image, box) => {
        if (image) x.drawImage(image, ...box);
        else {
          x.fillStyle = '#6b6b6b';
          x.fillRect(...box);
        }
      };
      if (this.mode === 'one' || !this.b) put(one, this.box(null));
      else if (this.mode === 'side') {
        put(one, this.box(0));
        put(two, this.box(1));
      } else if (this.mode === 'edge') {
        const box = this.box(null),
          at = box[0] + box[2] * this.edge;
        put(one, box);
        x.save();
        x.beginPath();
        x.rect(at, box[1], box[0] + box[2] - at, box[3]);
        x.clip();
        put(two, box);
        x.restore();
        x.fillStyle = '#fbf7ee';
        x.fillRect(at - 1, box[1], 2, box[3]);
        x.beginPath();
        x.arc(at, box[1] + box[3] / 2, 9 * dpr, 0, 7);
        x.fill();
      } else {
        const box = this.box(null);
        if (one && two) {
          x.fillStyle = '#000';
          x.fillRect(...box);
          x.drawImage(one, ...box);
          x.globalCompositeOperation = 'difference';
          x.drawImage(two, ...box);
          x.globalCompositeOperation = 'source-over';
          this.apart = this.measure(one, two);
          if (this.gain > 1) {
            x.globalCompositeOperation = 'lighter';
            for (let k = 1; k < this.gain; k *= 2) x.drawImage(c, ...box, ...box);
            x.globalCompositeOperation = 'source-over';
          }
        } else put(null, box);
      }
      c.dataset.frame = this.frameOf(this.a);
      c.dataset.drawn = Number(!!one && (!this.b || this.mode === 'one' || !!two));
      c.dataset.mode = this.mode;
    },
    // mean difference of the two pictures, of white
    measure(one, two) {
      const small =
          this.small ||
          (this.small = Object.assign(document.createElement('canvas'), {
            width: 96,
            height: 54,
          })),
        x = /** @type {CanvasRenderingContext2D} */ (small.getContext('2d', { willReadFrequently: true }));
      x.globalCompositeOperation = 'source-over';
      x.drawImage(one, 0, 0, 96, 54);
      x.globalCompositeOperation = 'difference';
      x.drawImage(two, 0, 0, 96, 54);
      const d = x.getImageData(0, 0, 96, 54).data;
      let sum = 0;
      for (let k = 0; k < d.length; k += 4) sum += d[k] + d[k + 1] + d[k + 2];
      return `${((100 * sum) / (d.length / 4) / 765).toFixed(2)} % of white apart in the mean`;
    },
    setMode(mode) {
      this.mode = mode;
      this.$nextTick(() => this.draw());
    },
    pointer(e) {
      const r = refs.stage.getBoundingClientRect(),
        at = (m) => [
          ((m.clientX - r.left) / r.width) * refs.stage.width,
          ((m.clientY - r.top) / r.height) * refs.stage.height,
        ];
      const [x, y] = at(e);
      if (this.noting) {
        const side = this.mode === 'side' && this.b ? (x > refs.stage.width / 2 ? 1 : 0) : null,
          box = this.box(side),
          u = (x - box[0]) / box[2],
          v = (y - box[1]) / box[3];
        if (u < 0 || u > 1 || v < 0 || v > 1) return;
        this.writing = {
          take: side === 1 ? this.b.id : this.mode === 'edge' && this.b && u > this.edge ? this.b.id : this.a.id,
          t: +this.t.toFixed(4),
          x: +u.toFixed(4),
          y: +v.toFixed(4),
        };
        this.noting = false;
        this.text = '';
        this.$nextTick(() => refs.text && refs.text.focus());
        return;
      }
      if (this.mode !== 'edge') return;
      const move = (m) => {
        const box = this.box(null);
        this.edge = Math.min(1, Math.max(0, (at(m)[0] - box[0]) / box[2]));
        this.draw();
      };
      move(e);
      pointerDrag(move);
    },

    // -- time ------------------------------------------------------------------------------------------
    go(t) {
      this.playing = false;
      this.t = Math.min(this.to() - 1 / this.rate(), Math.max(this.from(), t));
      this.ahead(6);
      this.draw();
    },
    step(by) {
      const f = this.rate();
      this.go((Math.round(this.t * f) + by) / f + 1e-6);
    },
    play() {
      if (this.playing) {
        this.playing = false;
        this.draw();
        return;
      }
      this.playing = true;
      this.late = 0;
      if (this.t >= this.to() - 1.5 / this.rate()) this.t = this.from();
      let start = performance.now() - (this.t - this.from()) * 1000,
        shown = -1;
      const tick = (now) => {
        if (!this.playing) return;
        let t = this.from() + (now - start) / 1000;
        if (t >= this.to()) {
          if (!this.looping) {
            this.playing = false;
            this.go(this.to());
            return;
          }
          start = now;
          t = this.from();
        }
        this.t = t;
        const n = Math.floor(t * this.rate() + 1e-4);
        if (n !== shown) {
          shown = n;
          this.ahead(30);
          if (
            this.takes().some((k) => {
              const key = k.keys[this.frameOf(k)];
              return key && !this.pictures.has(key);
            })
          )
            this.late += 1;
          this.draw();
        }
        requestAnimationFrame(tick);
      };
      this.ahead(30);
      requestAnimationFrame(tick);
    },
    scrub(e) {
      const r = e.currentTarget.getBoundingClientRect(),
        to = (m) =>
          this.go(this.from() + Math.min(1, Math.max(0, (m.clientX - r.left) / r.width)) * (this.to() - this.from()));
      to(e);
      pointerDrag(to);
    },
    share(t) {
      return ((t - this.from()) / Math.max(1e-6, this.to() - this.from())) * 100;
    },
    key(e) {
      if (e.target.closest('input, textarea, select') || e.ctrlKey || e.metaKey || e.altKey) return;
      const n = e.shiftKey ? 10 : 1,
        acts = {
          ArrowRight: () => this.step(n),
          ArrowLeft: () => this.step(-n),
          Home: () => this.go(this.from()),
          End: () => this.go(this.to()),
          Escape: () => {
            this.noting = false;
            this.writing = null;
          },
        };
      if (e.key === ' ' && !e.target.closest('button, a')) acts[' '] = () => this.play();
      if (e.key.toLowerCase() === 'n')
        acts[e.key] = () => {
          this.noting = !this.noting;
        };
      if (acts[e.key]) {
        e.preventDefault();
        acts[e.key]();
      }
    },
    timeText() {
      return (
        this.takes()
          .map((k) => `frame ${this.frameOf(k)}`)
          .join(' | ') + `, ${this.t.toFixed(2)} s`
      );
    },

    // -- notes -----------------------------------------------------------------------------------------
    notes() {
      return this.takes()
        .flatMap((k) => k.notes.map((n) => ({ ...n, number: k.number })))
        .sort((p, q) => p.t - q.t);
    },
    near(n) {
      return Math.abs(n.t - this.t) < 0.5;
    },
    where(n) {
      const c = refs.stage;
      if (!c) return '';
      const box = this.box(this.mode === 'side' && this.b ? (n.take === this.b.id ? 1 : 0) : null);
      return `left:${((box[0] + n.x * box[2]) / c.width) * 100}%;top:${((box[1] + n.y * box[3]) / c.height) * 100}%`;
    },
    async send(url, body, kind) {
      const reply = await fetch(url, {
        method: 'POST',
        headers: {
          'X-CSRFToken': cookie('csrftoken'),
          ...(kind ? { 'Content-Type': kind } : {}),
        },
        body,
      }).catch(() => null);
      const said = reply
        ? await reply.json().catch(() => ({ error: 'The server could not keep this.' }))
        : { error: 'The server cannot be reached: the note was not kept.' };
      this.said = said.error || '';
      return said.error ? null : said;
    },
    async pin() {
      const w = this.writing,
        said = await this.send(
          `/takes/${w.take}/notes/`,
          JSON.stringify({ ...w, text: this.text }),
          'application/json',
        );
      if (said) {
        this.takes()
          .find((k) => k.id === w.take)
          .notes.push(said.note);
        this.writing = null;
      }
    },
    async settle(n, remove) {
      const form = new FormData();
      if (remove) form.set('remove', '1');
      const said = await this.send(`/notes/${n.id}/`, form),
        take = this.takes().find((k) => k.id === n.take);
      if (!said) return;
      if (said.gone) take.notes = take.notes.filter((q) => q.id !== n.id);
      else take.notes = take.notes.map((q) => (q.id === n.id ? said.note : q));
    },
    other(name, id) {
      const q = new URLSearchParams({
        a: this.a.id,
        ...(this.b ? { b: this.b.id } : {}),
        [name]: id,
      });
      if (!id) q.delete(name);
      location.search = String(q);
    },
  }));
});
