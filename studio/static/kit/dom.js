// @ts-check
/* Parts of the page, drawings, and the pointer. */

const svgns = 'http://www.w3.org/2000/svg';

/** @param {string} name */
export const cookie = (name) => (document.cookie.match(new RegExp(`(?:^|; )${name}=([^;]*)`)) || [])[1] || '';

/**
 * A number held between two others.
 * @param {number} v
 * @param {number} a
 * @param {number} b
 */
export const clamp = (v, a, b) => Math.min(b, Math.max(a, v));

/**
 * An element of a drawing; attributes that are null are left out.
 * @param {string} tag
 * @param {Record<string, unknown>} attrs
 * @param {...(Node | string)} kids
 */
export const el = (tag, attrs = {}, ...kids) => {
  const e = document.createElementNS(svgns, tag);
  for (const [k, v] of Object.entries(attrs)) if (v !== null && v !== undefined) e.setAttribute(k, String(v));
  for (const kid of kids) e.append(kid);
  return e;
};

/**
 * Follow the pointer from a press to its release, wherever it goes.
 * @param {(e: PointerEvent) => void} move
 * @param {(e: PointerEvent) => void} [up]
 */
export const pointerDrag = (move, up) => {
  /** @param {PointerEvent} e */
  const end = (e) => {
    window.removeEventListener('pointermove', move);
    window.removeEventListener('pointerup', end);
    window.removeEventListener('pointercancel', end);
    if (up) up(e);
  };
  window.addEventListener('pointermove', move);
  window.addEventListener('pointerup', end);
  window.addEventListener('pointercancel', end);
};

// Parts of the page by name. Alpine's own $refs go by the element whose event is being answered, and are empty once
// that element is gone: a field of the slip is, as soon as its answer is there, and the look would wait for ever.
/** @type {Record<string, any>} */
export const refs = new Proxy(
  /** @type {Record<string, any>} */
  {},
  {
    get: (known, name) =>
      known[name] && known[name].isConnected
        ? known[name]
        : (known[name] = document.querySelector(`[x-ref="${String(name)}"]`)),
  },
);

// What has the focus in a drawing that is made anew gets it back: an answer that arrives in between must not send the
// next key astray. Marks are known by the one data attribute that names them.
/**
 * @param {any} drawing
 * @param {() => void} redraw
 */
export const keepingFocus = (drawing, redraw) => {
  const active = /** @type {HTMLElement | null} */ (document.activeElement);
  const had = active && drawing && drawing.contains(active) ? active : null;
  const name = had && Object.keys(had.dataset)[0];
  const mark = name ? `[data-${name}="${CSS.escape(String(had.dataset[name]))}"]` : '';
  redraw();
  if (mark && !drawing.contains(document.activeElement)) {
    const again = drawing.querySelector(mark);
    if (again) again.focus({ preventScroll: true });
  }
};
