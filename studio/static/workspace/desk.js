/* The desk itself: what it begins with, its keys, its dividers and dialogs, and what is said over it. */
import { clamp, refs, pointerDrag } from '../kit/dom.js';
import { BENCHES } from './benches.js';

/** @type {import('../types.js').Part} */
export const desk = {
  fault: '',
  faultTimer: 0,
  busy: '',
  dialog: '',
  theme: document.documentElement.dataset.theme || '',
  split: Number(localStorage.getItem('lw-split') || 44),
  low: Number(localStorage.getItem('lw-low') || 0),
  tab: Math.random().toString(36).slice(2, 8),
  deskSize: [0, 0],

  setBusy(value) {
    this.busy = value;
    return value;
  },
  setDialog(value) {
    this.dialog = value;
    return value;
  },
  init() {
    this.loadChart();
    this.slip();
    this.look();
    this.refreshReady();
    this.askRide();
    window.addEventListener('keydown', (e) => this.key(e));
    this.watchSlip();
    window.addEventListener('resize', () => {
      this.drawTimeline();
      this.drawDrawing();
    });
    this.$watch('theme', () => this.drawSoon());
    this.$nextTick(() => {
      this.drawTimeline();
      this.drawDrawing();
    });
    const pick = new URLSearchParams(location.search).get('pick');
    if (pick) {
      history.replaceState(null, '', location.pathname);
      this.setBench('land');
      this.select(pick);
    }
    document.fonts.ready.then(() => this.drawTimeline()); // a canvas does not wait for its letters
  },
  url(tail) {
    return `/places/${this.s.place}/${tail}`;
  },
  say(text) {
    this.fault = text;
    clearTimeout(this.faultTimer);
    if (text)
      this.faultTimer = setTimeout(() => {
        this.fault = '';
      }, 9000);
  },
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
        this.setQuestion(null);
        this.setDrafting(null);
        this.setChartMode('');
        this.setPicking('');
        this.setViews([]);
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
    const bench = /^[1-9]$/.test(k) && BENCHES[Number(k) - 1];
    if (bench) {
      this.setBench(bench.id);
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
      localStorage.setItem('lw-split', this.split);
      this.drawDrawing();
      this.drawChart();
    };
    pointerDrag(move, up);
    e.preventDefault();
  },
  // until a divider is put elsewhere, the look has the height its picture needs and the slip has the rest
  lowNow() {
    const [w, h] = this.deskSize;
    return this.low || (h ? clamp(100 * (1 - (((w * (1 - this.split / 100) - 20) * 9) / 16 + 48) / h), 24, 46) : 27);
  },
  measureDesk(desk) {
    new ResizeObserver(() => {
      this.deskSize = [desk.clientWidth, desk.clientHeight];
    }).observe(desk);
  },
  moveSplit(by) {
    this.split = clamp(this.split + by, 25, 62);
  },
  moveLow(by) {
    this.low = clamp(this.lowNow() + by, 15, 50);
  },
  dragLow(e) {
    const host = refs.desk.getBoundingClientRect();
    const move = (m) => {
      this.low = clamp((100 * (host.bottom - m.clientY)) / host.height, 15, 50);
    };
    const up = () => {
      localStorage.setItem('lw-low', this.low);
      this.drawDrawing();
    };
    pointerDrag(move, up);
    e.preventDefault();
  },
  words(s) {
    return s < 90 ? `${Math.round(s)} s` : s < 5400 ? `${Math.round(s / 60)} min` : `${(s / 3600).toFixed(1)} h`;
  },
};
