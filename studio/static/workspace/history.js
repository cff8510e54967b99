/* The states that a place has been in. */

/** @type {import('../types.js').Part} */
export const history = {
  openHistory() {
    this.setDialog('history');
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
    /** @type {(name: string) => HTMLInputElement | null} */
    const chosen = (name) => document.querySelector(`#history [name=${name}]:checked`);
    const a = chosen('a'),
      b = chosen('b');
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
    this.setDialog('');
  },
};
