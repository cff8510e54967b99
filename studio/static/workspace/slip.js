/* The slip: the fields of what is selected, and the bench that they belong to. */
import { pointerDrag } from '../kit/dom.js';

// what is typed into: a field, or a number of a small form that is sent whole
const OF_SLIP = '#slip [data-path], #slip form[data-of] input';

/** @param {any} field */
const wasIn = (field) => (field.dataset.path ? field.dataset.was : field.defaultValue);

/** @param {any} field */
const selectorOf = (field) =>
  field.dataset.path
    ? `#slip [data-path="${field.dataset.path}"]`
    : `#slip form[data-of="${field.form.dataset.of}"] [name="${field.name}"]`;

// the numbers of small forms that differ from what was offered: a new slip must not wipe them
function numbersTyped() {
  /** @type {any[]} */
  const inputs = [...document.querySelectorAll('#slip form[data-of] input')];
  return inputs.filter((one) => one.value !== one.defaultValue).map((one) => [selectorOf(one), one.value]);
}

/** @type {import('../types.js').Part} */
export const slip = {
  touched: null,
  slipOwed: null,
  slipFocus: null,
  slipCaret: null,
  slipForms: [],
  selected: '',
  bench: 'route',
  offer: null,
  tab_: 'station',
  pickedTab: '',

  setSelected(value) {
    this.selected = value;
    return value;
  },
  putBench(value) {
    this.bench = value;
    return value;
  },
  openTab(value) {
    this.tab_ = value;
    return value;
  },
  watchSlip() {
    // the value touched last is the one that K keys
    document.body.addEventListener('focusin', (/** @type {any} */ e) => {
      const field = e.target.closest('#slip [data-path]');
      if (field) this.touched = field.dataset.path;
    });
    // a slip that arrives while somebody types must not wipe what is typed, nor take the focus away
    document.body.addEventListener('htmx:beforeSwap', (/** @type {any} */ e) => {
      if (e.detail.target.id !== 'slip') return;
      /** @type {any} */
      const field = document.activeElement && document.activeElement.closest(OF_SLIP);
      this.slipForms = numbersTyped();
      if (field && field.tagName === 'INPUT' && field.value !== wasIn(field)) {
        e.detail.shouldSwap = false;
        this.slipOwed = true;
      }
      this.slipFocus = field ? selectorOf(field) : '';
      // what is selected stays so: a first letter that comes after the swap still replaces the old value
      this.slipCaret =
        field && field.tagName === 'INPUT' && field.type === 'text'
          ? [field.selectionStart, field.selectionEnd, field.value.length]
          : null;
    });
    document.body.addEventListener('htmx:responseError', (/** @type {any} */ e) => {
      if (e.detail.xhr.status === 401) this.say(JSON.parse(e.detail.xhr.responseText).error);
    });
    document.body.addEventListener('htmx:afterSwap', (/** @type {any} */ e) => {
      if (e.detail.target.id !== 'slip') return;
      for (const [which, text] of this.slipForms) {
        /** @type {any} */
        const input = document.querySelector(which);
        if (input) input.value = text;
      }
      if (!this.slipFocus) return;
      /** @type {any} */
      const field = document.querySelector(this.slipFocus);
      if (!field) return;
      field.focus();
      if (field.type === 'number') field.select();
      if (!this.slipCaret || field.tagName !== 'INPUT' || field.type !== 'text') return;
      const [a, b, long] = this.slipCaret;
      a === 0 && b === long ? field.select() : field.setSelectionRange(a, b);
    });
  },
  slip() {
    const q = new URLSearchParams({
      bench: this.bench,
      shot: this.s.shot.id,
      selected: this.selected,
      t: this.t.toFixed(4),
      tab: this.tabNow(),
    });
    htmx.ajax('GET', this.url(`slip/?${q}`), {
      target: '#slip',
      swap: 'innerHTML',
    });
  },
  setBench(b) {
    this.bench = b;
    this.setDrafting(null);
    this.setChartMode('');
    this.slip();
    this.drawChart();
    this.$nextTick(() => this.drawDrawing());
    if (b === 'cut') this.askFilm();
    else if (this.filmPlaying || this.lookInfo === 'of the film') {
      this.setFilmPlaying(false);
      this.look();
    }
  },
  select(id) {
    this.selected = id;
    this.slip();
    this.drawChart();
    if (['water', 'growth'].includes(this.bench)) this.drawDrawing();
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
      if (v !== v0)
        this.send({
          typed: this.typedOf(input.dataset.path, String(+v.toPrecision(8))),
        });
    };
    pointerDrag(move, up);
    e.preventDefault();
  },
  keyTouched() {
    /** @type {HTMLElement | null} */
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
    /** @type {any[]} */
    const fields = [...document.querySelectorAll('#slip .field:has(.pin)')].slice(0, 6);
    this.offer = {
      words: fields.length ? words : 'Nothing in the slip can be animated: select something that can, first.',
      choices: fields.map((field) => ({
        text: field.querySelector('label').textContent.trim(),
        act: () => act(field.querySelector('[data-path]').dataset.path),
      })),
    };
  },
  takeOffer(choice) {
    this.offer = null;
    choice.act();
  },
  dropOffer() {
    this.offer = null;
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
  takeAway(c) {
    if (c.op === 'remove') this.selected = ''; // it is gone; what is only set to nothing leaves its owner picked
    this.command(c);
  },
  putHere(c) {
    this.command({ ...c, value: { ...c.value, ...this.ahead() } });
  },
  addHere(c) {
    if (c.to === 'lamps') {
      const at = this.ahead();
      c = { ...c, item: { ...c.item, ...at, up: +(at.up + 2.6).toFixed(2) } };
    }
    if (c.to === 'things') c = { ...c, item: { ...c.item, ...this.ahead() } };
    this.command(c).then((ok) => {
      if (ok) this.select(c.item.id);
    });
  },
  // an edit that the numbers of a small form say, from the playhead on
  commandOfForm(form, op, id) {
    const said = Object.fromEntries([...new FormData(form)].map(([name, text]) => [name, Number(text)]));
    this.send({ command: { op, id, shot: this.s.shot.id, t: this.t, ...said } }, { keepsSlip: true });
  },
  // of what is picked, on whichever bench
  tabsOfPicked() {
    if (this.bench === 'water')
      return this.picksWater()
        ? []
        : [
            ['sea', 'Sea'],
            ['swell', 'Swell and tide'],
            ['others', 'Other waters'],
          ];
    if (this.bench === 'growth')
      return this.standPicked()
        ? [
            ['stand', 'Stand'],
            ['form', 'Form'],
            ['colour', 'Season and colour'],
            ['motion', 'Wind and touch'],
            ['where', 'Where'],
          ]
        : [];
    const picked = this.chart && this.chart.marks.find((m) => m.id === this.selected);
    if (this.bench === 'air' && !(picked && picked.of === 'lamps'))
      return [
        ['air', 'Hour and air'],
        ['clouds', 'Clouds'],
        ['weather', 'Rain and snow'],
        ['night', 'Sun, moon, stars'],
      ];
    if (!picked || !['land', 'air'].includes(this.bench)) return [];
    if (picked.of === 'lamps')
      return [
        ['light', 'Light'],
        ['thrown', 'Thrown shadow'],
      ];
    if (this.bench !== 'land') return [];
    return [
      ['stand', 'Set down'],
      ['form', 'Form and surfaces'],
      ['copies', 'Copies'],
      ['motion', 'Motion'],
    ];
  },
  tabs() {
    return (
      {
        route: [
          ['station', 'Stations'],
          ['way', 'Way'],
          ['pace', 'Pace'],
          ['aim', 'Looks'],
          ['lens', 'Lens'],
        ],
        cut: [
          ['film', 'Film'],
          ['shot', 'Shot'],
          ['develop', 'Print'],
          ['finish', 'Finish'],
        ],
      }[this.bench] || this.tabsOfPicked()
    );
  },
  tabNow() {
    if (this.bench === 'cut') return this.cutTab;
    if (this.bench === 'route') return this.tab_;
    const tabs = this.tabsOfPicked();
    return tabs.some(([id]) => id === this.pickedTab) ? this.pickedTab : tabs.length ? tabs[0][0] : '';
  },
  setTab(tab) {
    if (this.bench === 'cut') this.setCutTab(tab);
    else if (this.bench === 'route') this.tab_ = tab;
    else this.pickedTab = tab;
    this.slip();
    if (this.bench === 'air') this.drawDrawing(); // it goes by the tab
  },
};
