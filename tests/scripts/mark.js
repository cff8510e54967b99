// A page that only notes what is put on it.

export class Mark {
  constructor(tag) {
    Object.assign(this, { tag, attrs: {}, kids: [], heard: {}, dataset: {}, text: '' });
  }
  setAttribute(name, value) {
    this.attrs[name] = String(value);
    if (name.startsWith('data-')) this.dataset[name.slice(5)] = String(value);
  }
  getAttribute(name) {
    return this.attrs[name] ?? null;
  }
  append(...kids) {
    for (const kid of kids) typeof kid === 'object' ? this.kids.push(kid) : (this.text += String(kid));
  }
  appendChild(kid) {
    this.kids.push(kid);
    return kid;
  }
  replaceChildren(...kids) {
    this.kids = [];
    this.append(...kids);
  }
  addEventListener(name, act) {
    this.heard[name] = act;
  }
  get textContent() {
    return this.text + this.kids.map((kid) => kid.textContent ?? '').join('');
  }
  set textContent(words) {
    this.text = words;
    this.kids = [];
  }
  all(test) {
    return [...(test(this) ? [this] : []), ...this.kids.flatMap((kid) => (kid.all ? kid.all(test) : []))];
  }
  having(name, value) {
    return this.all((m) => name in m.attrs && (value === undefined || m.attrs[name] === String(value)));
  }
}
globalThis.document = {
  createElementNS: (_, tag) => new Mark(tag),
  createElement: (tag) => new Mark(tag),
  cookie: '',
};
