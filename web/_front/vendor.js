// Copies what the pages ship out of node_modules. With --check nothing is
// written: it says which shipped copies aren't what the lock names.
import { existsSync, mkdirSync, readFileSync, writeFileSync } from 'node:fs';
import { dirname, join } from 'node:path';

const here = import.meta.dirname, from = join(here, 'node_modules'), web = join(here, '..');
const plex = (name, weights) => weights.map((w) => [`@fontsource/ibm-plex-${name}/files/ibm-plex-${name}-latin-${w}-normal.woff2`, `static/vendor/fonts/ibm-plex-${name}-latin-${w}-normal.woff2`]);
const files = [
  ['@alpinejs/csp/dist/cdn.min.js', 'static/vendor/alpine-csp.min.js'],
  ['htmx.org/dist/htmx.min.js', 'static/vendor/htmx.min.js'],
  ['bootstrap/dist/css/bootstrap.min.css', 'static/vendor/bootstrap.min.css'],
  ...['three.core.js', 'three.module.js'].map((f) => [`three/build/${f}`, `static/vendor/three/${f}`]),
  ...['OrbitControls.js', 'TransformControls.js'].map((f) => [`three/examples/jsm/controls/${f}`, `static/vendor/three/${f}`]),
  ...plex('sans', [400, 500, 600]), ...plex('mono', [400, 500]),
  ['axe-core/axe.min.js', 'testdata/axe/axe.min.js'],
];
const check = process.argv.includes('--check');
let odd = 0;
for (const [source, to] of files) {
  let data = readFileSync(join(from, source));
  // a map that isn't shipped would be asked for by every open console
  if (to.endsWith('.css')) data = Buffer.from(data.toString().replace(/\/\*# sourceMappingURL=.*?\*\/\n?/, ''));
  const target = join(web, to);
  if (existsSync(target) && readFileSync(target).equals(data)) continue;
  if (check) { console.error(`web/${to} isn't ${source} of the lock: run make vendor`); odd++; continue; }
  mkdirSync(dirname(target), { recursive: true });
  writeFileSync(target, data);
  console.log(`web/${to}`);
}
process.exit(odd ? 1 : 0);
