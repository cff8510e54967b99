/* Files brought in: chosen, or dropped on the chart or the look; and the size that a model is meant to have. */
import { drawSize } from '../drawings/sizes.js';

/**
 * Files of what was dropped, folders and all, by their paths.
 * @param {DataTransfer} dropped
 * @returns {Promise<[string, File][]>}
 */
async function filesOf(dropped) {
  /** @type {[string, File][]} */
  const out = [];
  /** @param {any} entry @param {string} folder */
  const walk = async (entry, folder) => {
    if (entry.isFile) {
      const file = await new Promise((done, fail) => entry.file(done, fail));
      out.push([folder + entry.name, file]);
      return;
    }
    const reader = entry.createReader();
    for (;;) {
      /** @type {any[]} */
      const some = await new Promise((done, fail) => reader.readEntries(done, fail));
      if (!some.length) return;
      for (const one of some) await walk(one, `${folder}${entry.name}/`);
    }
  };
  // all entries at once: what was dropped is gone after the first wait
  const entries = [...dropped.items].map((item) => item.webkitGetAsEntry && item.webkitGetAsEntry()).filter(Boolean);
  if (!entries.length) return [...dropped.files].map((file) => [file.name, file]);
  for (const entry of entries) await walk(entry, '');
  return out;
}

/** @type {import('../types.js').Part} */
export const bringing = {
  sizes: [],
  over: '',

  async bring(input, what, path) {
    const files = [...input.files].map((file) => [file.webkitRelativePath || file.name, file]);
    await this.takeIn(files, what, path, this.ahead());
    input.value = '';
  },
  async takeIn(files, what, path, at) {
    if (!files.length) return;
    const form = new FormData();
    for (const [k, v] of Object.entries({
      what,
      path,
      rev: this.s.rev,
      shot: this.s.shot.id,
      east: at.east,
      north: at.north,
    }))
      form.set(k, v);
    for (const [name, file] of files) {
      form.append('names', name);
      form.append('file', file);
    }
    this.setBusy(`taking in ${files.length === 1 ? files[0][1].name : `${files.length} files`} …`);
    const told = await this.post('bring/', form);
    this.setBusy('');
    if (told && told.sizes) this.sizes = told.sizes;
  },
  // on the chart where they were let go, in the look on the ground ahead
  async takeDropped(e, where) {
    this.over = '';
    if (!e.dataTransfer) return;
    const at = where === 'chart' ? this.metres(e) : null,
      files = await filesOf(e.dataTransfer);
    if (this.bench !== 'land') this.setBench('land');
    await this.takeIn(files, 'model', '', at ? { east: at[0], north: at[1] } : this.ahead());
  },
  hovered(where) {
    this.over = where;
  },
  drawSizeOf(svg, size) {
    drawSize(svg, { front: this.sizes[0].front, scale: size.scale, width: 120, height: 64 });
  },
  takeSize(size) {
    const first = this.sizes[0];
    this.sizes = this.sizes.slice(1);
    if (size && size !== first.taken) this.command(size.command);
  },
};
