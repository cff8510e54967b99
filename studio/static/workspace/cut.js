/* The film: its pieces, and playing it from the frames that lie ready. */
import { clamp, cookie, refs } from '../kit/dom.js';

/** @type {import('../types.js').Part} */
export const cut = {
  filmPlaying: false,
  cutTab: 'film',
  filmFrames: {},
  filmRunning: false,
  filmTimer: 0,
  filmN: 1,
  filmLate: 0,
  filmImages: new Map(),
  filmSize: '1280x720',
  filmQuality: 'study',
  pieceHeld: null,

  setFilmPlaying(value) {
    this.filmPlaying = value;
    return value;
  },
  setCutTab(value) {
    this.cutTab = value;
    return value;
  },
  film() {
    return this.s.film;
  },
  async askFilm() {
    if (this.bench !== 'cut') return;
    const reply = await fetch(this.url(`film/ready/?size=${this.rehearsalSize}`)).catch(() => null);
    if (!reply || !reply.ok) return;
    const data = await reply.json();
    if (data.rev !== this.s.rev) return;
    this.filmFrames = data.frames;
    this.filmRunning = data.running;
    this.drawDrawing();
    clearTimeout(this.filmTimer);
    if (data.running) this.filmTimer = setTimeout(() => this.askFilm(), 1500);
  },
  async takeFilm(size, quality) {
    const form = new FormData();
    form.set('size', size);
    form.set('quality', quality);
    const reply = await fetch(this.url('film/take/'), {
        method: 'POST',
        headers: { 'X-CSRFToken': cookie('csrftoken') },
        body: form,
      }).catch(() => null),
      data = reply ? await reply.json() : { error: 'The server cannot be reached.' };
    if (data.error) {
      this.say(data.error);
      return;
    }
    this.say(`Film take ${data.number}: ${data.frames} frames are being made.`);
    if (quality !== 'rehearsal') {
      location.href = this.url('takes/');
      return;
    }
    this.filmRunning = true;
    this.askFilm();
  },
  pieceAt(n) {
    return this.film().pieces.find((p) => n >= p.begins && n < p.ends);
  },
  cutTo(pieces, label) {
    this.command({ op: 'set_cut', pieces, label });
  },
  kept() {
    return this.film().kept.map((p) => ({ ...p }));
  },
  movePiece(id, to) {
    const list = this.kept(),
      i = list.findIndex((p) => p.id === id),
      [piece] = list.splice(i, 1);
    list.splice(clamp(to, 0, list.length), 0, piece);
    if (to !== i) this.cutTo(list, `piece ${i + 1} is now number ${to + 1}`);
  },
  addPiece(shot) {
    const list = this.kept(),
      ids = list.map((p) => p.id);
    let k = 1;
    while (ids.includes(`p${k}`)) k++;
    list.push({ id: `p${k}`, shot, first: 1, last: 0, join: 'cut', over: 12 });
    this.cutTo(list, 'added a piece to the film');
  },
  dropPiece(id) {
    this.cutTo(
      this.kept().filter((p) => p.id !== id),
      'left a piece out of the film',
    );
    this.setSelected('');
  },
  async pickPiece(p) {
    if (!this.film().cut) {
      await this.command({ op: 'set_cut', pieces: this.kept(), label: 'cut the film by hand' });
    }
    this.cutTab = 'film';
    if (p.shot !== this.s.shot.id) await this.pickShot(p.shot);
    this.select(p.id);
    this.drawDrawing();
  },
  filmImage(n) {
    const key = this.filmFrames[n];
    if (!key) return null;
    const had = this.filmImages.get(key);
    if (had) return had.complete ? had : null;
    const image = new Image();
    image.src = this.url(`shown/${key}.jpg`);
    this.filmImages.set(key, image);
    if (this.filmImages.size > 500) this.filmImages.delete(this.filmImages.keys().next().value);
    image.onload = () => {
      if (!this.filmPlaying && this.filmN === n && this.bench === 'cut') this.showFilm(n);
    };
    return null;
  },
  showFilm(n) {
    this.filmN = clamp(Math.round(n), 1, Math.max(1, this.film().frames));
    const image = this.filmImage(this.filmN),
      c = refs.look;
    if (image && c) {
      clearTimeout(this.lookTimer);
      this.nextWish();
      c.getContext('2d').drawImage(image, 0, 0, c.width, c.height);
      c.dataset.film = this.filmN;
      this.setLookInfo('of the film');
    }
    if (this.filmHead) this.filmHead.setAttribute('transform', `translate(${this.filmX(this.filmN)} 0)`);
    return !!image;
  },
  playFilm() {
    if (this.filmPlaying) {
      this.filmPlaying = false;
      return;
    }
    const f = this.film();
    if (!Object.keys(this.filmFrames).length) {
      this.say('No frame of the film lies ready yet: rehearse the film first.');
      return;
    }
    this.filmPlaying = true;
    this.setPlaying(false);
    this.filmLate = 0;
    if (this.filmN >= f.frames) this.filmN = 1;
    let start = performance.now() - ((this.filmN - 1) / f.rate) * 1000,
      shown = 0;
    const tick = (now) => {
      if (!this.filmPlaying || this.bench !== 'cut') {
        this.filmPlaying = false;
        return;
      }
      const n = Math.floor(((now - start) / 1000) * f.rate + 1e-4) + 1;
      if (n > f.frames) {
        if (this.looping) {
          start = now;
        } else {
          this.filmPlaying = false;
          return;
        }
      } else if (n !== shown) {
        shown = n;
        for (let k = 1; k < 24; k++) this.filmImage(n + k);
        if (!this.showFilm(n)) this.filmLate += 1;
      }
      requestAnimationFrame(tick);
    };
    requestAnimationFrame(tick);
  },
};
