// Imported meshes, fetched once for each form that they take.
import * as THREE from 'three';

const kept = new Map();
const most = 40;

// heat is the tint of a weight from 0 to 1: dark, through the accent, to white.
export function heat(w) {
  const a = [0.07, 0.07, 0.07], b = [0.06, 0.39, 0.32], c = [0.95, 0.93, 0.82];
  const [p, q, t] = w < 0.5 ? [a, b, w * 2] : [b, c, w * 2 - 1];
  return p.map((x, i) => x + (q[i] - x) * t);
}

// unpack makes a geometry of what the server sent.
export function unpack(buffer) {
  const head = new Uint32Array(buffer, 0, 3);
  const [nv, nt, nw] = head;
  const g = new THREE.BufferGeometry();
  g.setAttribute('position', new THREE.BufferAttribute(new Float32Array(buffer, 12, 3 * nv), 3));
  g.setIndex(new THREE.BufferAttribute(new Uint32Array(buffer, 12 + 12 * nv, 3 * nt), 1));
  const weights = nw ? new Uint8Array(buffer, 12 + 12 * nv + 12 * nt, nw) : null;
  if (weights) tint(g, weights);
  return { geometry: g, weights };
}

export function tint(g, weights) {
  let c = g.getAttribute('color');
  if (!c) { c = new THREE.BufferAttribute(new Float32Array(3 * weights.length), 3); g.setAttribute('color', c); }
  for (let i = 0; i < weights.length; i++) c.setXYZ(i, ...heat(weights[i] / 255));
  c.needsUpdate = true;
}

export const meshes = {
  // get gives a copy-free geometry, or null and calls back once it has come.
  get(slug, e, frame, come) {
    const k = kept.get(e.mesh);
    if (k) return k.geometry || null;
    const entry = {};
    kept.set(e.mesh, entry);
    if (kept.size > most) kept.delete(kept.keys().next().value);
    fetch(`/shots/${slug}/mesh/${encodeURIComponent(e.id)}?frame=${frame}&key=${e.mesh}`).then(async (r) => {
      if (!r.ok) throw new Error(await r.text());
      const m = unpack(await r.arrayBuffer());
      // flat shading keeps the edges that a file's own normals would have
      const g = m.geometry.index.count < 600000 ? m.geometry.toNonIndexed() : m.geometry;
      g.computeVertexNormals();
      entry.geometry = g;
      come();
    }).catch(() => { kept.delete(e.mesh); });
    return null;
  },
};

// turned is an element's turn, degrees, as three wants it.
/** @returns {[number, number, number, 'ZYX']} */
export const turned = ([x, y, z]) => [x * Math.PI / 180, y * Math.PI / 180, z * Math.PI / 180, 'ZYX'];
