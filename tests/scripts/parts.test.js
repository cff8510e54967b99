// Each field of the workspace's state is written by one part of it, and every method that is called is there.
import assert from 'node:assert/strict';
import { readFileSync, readdirSync } from 'node:fs';
import { createRequire } from 'node:module';
import { dirname, join } from 'node:path';
import { test } from 'node:test';
import { fileURLToPath } from 'node:url';

const root = join(dirname(fileURLToPath(import.meta.url)), '..', '..');
const acorn = createRequire(join(root, 'frontend', 'package.json'))('acorn');
const folder = join(root, 'studio', 'static', 'workspace');
const helpers = new Set(['words.js', 'keys_drawn.js', 'benches.js']);
const OFFERED = new Set(['$watch', '$nextTick', '$refs', '$el']); // by Alpine

function walk(node, visit) {
  if (!node || typeof node !== 'object') return;
  if (Array.isArray(node)) {
    for (const item of node) walk(item, visit);
    return;
  }
  if (node.type) visit(node);
  for (const [key, value] of Object.entries(node)) if (key !== 'loc') walk(value, visit);
}

const isOwn = (node) => node.type === 'MemberExpression' && node.object.type === 'ThisExpression' && !node.computed;

const parts = readdirSync(folder)
  .filter((name) => name.endsWith('.js') && !helpers.has(name))
  .map((name) => {
    const tree = acorn.parse(readFileSync(join(folder, name), 'utf8'), {
      ecmaVersion: 'latest',
      sourceType: 'module',
    });
    const made = tree.body.find((n) => n.type === 'ExportNamedDeclaration').declaration.declarations[0].init;
    const names = made.properties.map((p) => p.key.name);
    const written = new Set(),
      read = new Set();
    const target = (node) => {
      if (isOwn(node)) written.add(node.property.name);
      if (node.type === 'ArrayPattern') for (const item of node.elements) if (item) target(item);
    };
    walk(made, (node) => {
      if (node.type === 'AssignmentExpression') target(node.left);
      if (node.type === 'UpdateExpression') target(node.argument);
      if (isOwn(node)) read.add(node.property.name);
    });
    return { name, names, written, read };
  });

test('a name belongs to one part', () => {
  const seen = new Map();
  for (const part of parts)
    for (const name of part.names) {
      assert.ok(!seen.has(name), `${name} is in ${seen.get(name)} and in ${part.name}`);
      seen.set(name, part.name);
    }
});

test('a field is written by the part that declares it, and by no other', () => {
  for (const part of parts)
    for (const field of part.written) assert.ok(part.names.includes(field), `${part.name} writes ${field}`);
});

test('whatever a part asks of the whole is there', () => {
  const all = new Set([...parts.flatMap((part) => part.names), ...OFFERED]);
  for (const part of parts) for (const name of part.read) assert.ok(all.has(name), `${part.name} asks for ${name}`);
});

test('every bench has its drawing, and what a press in it does', async () => {
  const all = new Set(parts.flatMap((part) => part.names));
  const { BENCHES } = await import('../../studio/static/workspace/benches.js');
  assert.equal(BENCHES.length, 6);
  for (const bench of BENCHES) assert.ok(all.has(bench.draw) && (!bench.tap || all.has(bench.tap)), bench.id);
});
