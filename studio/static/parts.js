/* What every page's own script needs: parts of the page by name, and cookies. */
'use strict';

const cookie = (name) => (document.cookie.match(new RegExp(`(?:^|; )${name}=([^;]*)`)) || [])[1] || '';

// Parts of the page by name. Alpine's own $refs go by the element whose event is being answered, and are
// empty once that element is gone: a field of the slip is, as soon as its answer is there, and the look would wait for ever.
const refs = new Proxy(
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
const keepingFocus = (drawing, redraw) => {
  const had = drawing && drawing.contains(document.activeElement) ? document.activeElement : null;
  const name = had && Object.keys(had.dataset)[0];
  const mark = name ? `[data-${name}="${CSS.escape(had.dataset[name])}"]` : '';
  redraw();
  if (mark && !drawing.contains(document.activeElement)) {
    const again = drawing.querySelector(mark);
    if (again) again.focus({ preventScroll: true });
  }
};
