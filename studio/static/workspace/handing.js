/* The whole place handed on: what of it, and how large that is. */

const PARTS = ['ground', 'water', 'plants', 'built', 'things', 'lamps', 'cameras'];

/** @type {import('../types.js').Part} */
export const handing = {
  handed: { first: '', last: '', within: 60, as: 'usd', parts: [...PARTS] },
  handedTold: '',
  handedBusy: false,

  handedParts() {
    return PARTS;
  },
  handedQuery() {
    const h = this.handed;
    return new URLSearchParams({
      shot: this.s.shot.id,
      first: h.first || '1',
      last: h.last || String(this.s.shot.frames),
      within: String(h.within || ''),
      as: h.as,
      parts: h.parts.join(','),
    });
  },
  handedChanged() {
    this.handedTold = '';
  },
  async tellHanded() {
    this.handedBusy = true;
    const reply = await fetch(this.url(`whole/told/?${this.handedQuery()}`)).catch(() => null);
    if (reply && reply.status === 204) return; // it was asked anew
    const told = reply ? await reply.json().catch(() => ({})) : {};
    this.handedBusy = false;
    this.handedTold = told.words || told.error || 'The server cannot be reached.';
  },
};
