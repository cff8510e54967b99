/* What every page's own script needs: parts of the page by name, and cookies. */
'use strict';

const cookie = (name) => (document.cookie.match(new RegExp(`(?:^|; )${name}=([^;]*)`)) || [])[1] || '';

// Parts of the page by name. Alpine's own $refs go by the element whose event is being answered, and are
// empty once that
// element is gone: a field of the slip is, as soon as its answer is there, and the look would wait for ever.
const refs = new Proxy(
  {},
  {
    get: (known, name) =>
      known[name] && known[name].isConnected
        ? known[name]
        : (known[name] = document.querySelector(`[x-ref="${String(name)}"]`)),
  },
);
