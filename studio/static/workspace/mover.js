/* Making a value move by a recipe. */
import { RECIPES } from './words.js';

/** @type {import('../types.js').Part} */
export const mover = {
  numbers: null,
  mover: null,

  setNumbers(value) {
    this.numbers = value;
    return value;
  },
  async openMover(path, index = null) {
    path = path || this.openLane || this.touched;
    if (!path) {
      this.offerPins('Which value of the slip is to move?', (chosen) => this.openMover(chosen));
      return;
    }
    const lane = this.lane(path),
      term = index === null ? null : lane.terms[index];
    if (!this.numbers) {
      const reply = await fetch(this.url(`numbers/?shot=${this.s.shot.id}`));
      this.numbers = reply.ok ? (await reply.json()).numbers : [];
    }
    const entry = this.numbers.find((n) => n.path === path);
    if (!entry) {
      this.say('Only a number can be given a small motion.');
      return;
    }
    const kind = term
      ? term.kind === 'wander'
        ? term.rough > 0
          ? 'noise'
          : 'drift'
        : term.kind
      : entry.turn
        ? 'turning'
        : entry.light
          ? 'flicker'
          : 'swing';
    this.mover = {
      path,
      title: entry.name,
      unit: entry.unit,
      index,
      kind,
      turn: entry.turn,
      size: entry.value,
      values: {},
    };
    this.fillMover(term);
    this.setDialog('mover');
  },
  fillMover(term) {
    const r = RECIPES[this.mover.kind],
      size = Math.abs(this.mover.size) * 0.2 || 1;
    this.mover.values = Object.fromEntries(
      r.fields.map(([name, , usual]) => [
        name,
        term ? term[name] : name === 'amount' ? +(this.mover.turn ? 3 : size).toPrecision(2) : usual,
      ]),
    );
    if (this.mover.kind === 'follow' && !term)
      this.mover.values.path =
        (
          this.numbers.find((n) => n.keyed && n.path !== this.mover.path) ||
          this.numbers.find((n) => n.path !== this.mover.path) ||
          {}
        ).path || '';
  },
  async useMover() {
    const m = this.mover,
      r = RECIPES[m.kind],
      given = { ...(r.preset || {}) };
    for (const [name, title, usual] of r.fields) {
      if (typeof usual === 'number') {
        const v = Number(String(m.values[name]).replace(',', '.'));
        if (!Number.isFinite(v) || String(m.values[name]).trim() === '') {
          this.say(`${title} must be a number, and “${m.values[name]}” is none.`);
          return;
        }
        given[name] = v;
      } else given[name] = m.values[name];
    }
    const whole = ['turning', 'sway', 'growth'].includes(m.kind),
      term = { kind: r.term || m.kind, ...given };
    const old = m.index !== null ? this.lane(m.path).terms[m.index] : null;
    if (old && old.kind === 'follow' && term.kind === 'follow' && old.path === term.path) term.level = old.level;
    const ok = await this.command(
      m.index !== null
        ? { op: 'set_term', path: m.path, index: m.index, term }
        : {
            op: 'recipe',
            shot: this.s.shot.id,
            path: m.path,
            recipe: whole ? { kind: m.kind, ...given } : { kind: 'term', term },
          },
    );
    if (ok) {
      this.setDialog('');
      this.numbers = null;
      if (this.openLane !== m.path) this.toggleLane(m.path);
    }
  },
};
