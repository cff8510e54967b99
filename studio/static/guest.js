/* A guest's walk: the look from where one stands; the server says how high the floor is. */
import { asText, stepped } from './kit/camera.js';
import { clamp, pointerDrag } from './kit/dom.js';

/** @type {HTMLCanvasElement} */
const canvas = /** @type {any} */ (document.getElementById('guest-look'));
/** @type {HTMLSelectElement} */
const shot = /** @type {any} */ (document.getElementById('guest-shot'));
const info = /** @type {HTMLElement} */ (document.getElementById('guest-info'));
const tab = Math.random().toString(36).slice(2);
const STEP = 1.2;

/** @type {import('./kit/camera.js').View | null} */
let camera = null;
let wish = Date.now() % 1e9,
  walks = false, // on the floor from the first step on; until then where the shot's camera is
  busy = false,
  again = false;

/** @param {number} step */
async function show(step = 0) {
  if (step === 0) wish += 1;
  if (busy && step === 0) {
    again = true;
    return;
  }
  const mine = wish;
  const q = new URLSearchParams({ shot: shot.value, t: '0', step: String(step), wish: String(mine), tab });
  if (camera) {
    q.set('cam', asText(camera));
    if (walks) q.set('walk', '1');
  }
  busy = true;
  try {
    const reply = await fetch(`${canvas.dataset.address}?${q}`);
    if (reply.status === 200) {
      const bitmap = await createImageBitmap(await reply.blob());
      if (mine === wish || step === 0) {
        canvas.getContext('2d')?.drawImage(bitmap, 0, 0, canvas.width, canvas.height);
        canvas.dataset.step = String(step);
        if (camera && mine === wish) camera.z = Number(reply.headers.get('X-Eye')) || camera.z;
        if (!camera) starts(reply);
      }
      const last = reply.headers.get('X-Last') === '1';
      info.textContent = last ? 'finished' : 'refining';
      busy = false;
      if (again) next();
      else if (!last && mine === wish) show(step + 1);
      return;
    }
    if (reply.status !== 204) {
      const told = await reply.json().catch(() => ({}));
      info.textContent = told.error || 'no picture';
    }
  } catch {
    info.textContent = 'the server cannot be reached';
  }
  busy = false;
  if (again) next();
}

function next() {
  again = false;
  show(0);
}

/** @param {Response} reply */
function starts(reply) {
  const told = reply.headers.get('X-Camera');
  if (!told) return;
  const [x, y, z, bearing, pitch, focal] = told.split(',').map(Number);
  camera = { x, y, z, bearing, pitch, focal };
}

/** @param {number} right @param {number} ahead */
function walk(right, ahead) {
  if (!camera) return;
  walks = true;
  const level = stepped({ ...camera, pitch: 0 }, right, ahead, 0);
  camera = { ...camera, x: level.x, y: level.y };
  show();
}

canvas.addEventListener('keydown', (e) => {
  const by = e.shiftKey ? STEP / 4 : STEP;
  const way = { ArrowUp: [0, by], ArrowDown: [0, -by], ArrowLeft: [-by, 0], ArrowRight: [by, 0] }[e.key];
  if (!way) return;
  e.preventDefault();
  walk(way[0], way[1]);
});
canvas.addEventListener('pointerdown', (e) => {
  if (e.button || !camera) return;
  const c = camera,
    [x0, y0, b0, p0] = [e.clientX, e.clientY, c.bearing, c.pitch],
    per = (2 * Math.atan(18 / c.focal) * 180) / Math.PI / canvas.clientWidth;
  canvas.focus();
  pointerDrag(
    (/** @type {PointerEvent} */ m) => {
      c.bearing = (b0 - (m.clientX - x0) * per + 360) % 360;
      c.pitch = clamp(p0 + (m.clientY - y0) * per, -89, 89);
      show();
    },
    () => {},
  );
});
shot.addEventListener('change', () => {
  camera = null;
  walks = false;
  show();
});
show();
