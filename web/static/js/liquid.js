// Liquids in the picture: their surfaces in the look's light, or their particles by speed.
import * as THREE from 'three';
import { SOLID, WET } from './picture.js';

export class Liquid {
  constructor(picture) {
    this.picture = picture;
    this.group = new THREE.Group();
    this.opaque = picture.skin(true, 0);
    this.clear = picture.skin(false, -1);
    this.show(null);
  }

  get seenThrough() { return this.group.children.some((c) => c.layers.isEnabled(WET)); }

  show(v) {
    for (const c of this.group.children) if (c instanceof THREE.Mesh || c instanceof THREE.Points) c.geometry.dispose();
    this.group.clear();
    if (!v) return;
    for (const p of v.head.parts) {
      if (p.vertices) this.skin(v, p);
      if (p.particles) this.dots(v, p);
    }
  }

  skin(v, p) {
    const look = v.head.light.liquid, g = new THREE.BufferGeometry();
    g.setAttribute('position', new THREE.BufferAttribute(numbers(Float32Array, v.data, p.at, 3 * p.vertices), 3));
    g.setIndex(new THREE.BufferAttribute(numbers(Uint32Array, v.data, p.at + 12 * p.vertices, 3 * p.triangles), 1));
    g.computeVertexNormals();
    const m = look.opaque ? this.opaque : this.clear, u = m.uniforms;
    u.colour.value.fromArray(look.colour);
    u.absorb.value.fromArray(look.absorb);
    u.index.value = look.index;
    u.rough.value = Math.max(look.rough, 0.02);
    u.glow.value = look.glow;
    const mesh = new THREE.Mesh(g, m);
    mesh.frustumCulled = false;
    mesh.layers.set(look.opaque ? SOLID : WET);
    mesh.onBeforeRender = () => { if (!look.opaque && this.picture.targets) u.back.value = this.picture.targets.back.depthTexture; };
    this.group.add(mesh);
  }

  dots(v, p) {
    const g = new THREE.BufferGeometry();
    g.setAttribute('position', new THREE.BufferAttribute(numbers(Float32Array, v.data, p.at, 3 * p.particles), 3));
    const share = v.data.subarray(p.at + 12 * p.particles, p.at + 13 * p.particles), c = new Float32Array(3 * p.particles);
    const tone = p.by === 'temperature' && p.high > 750 ? embers(p.low, p.high) : slate;
    for (let i = 0; i < share.length; i++) tone(share[i] / 255, c, 3 * i);
    g.setAttribute('color', new THREE.BufferAttribute(c, 3));
    const dots = new THREE.Points(g, this.grains = this.grains || new THREE.PointsMaterial({ size: 2, sizeAttenuation: false, vertexColors: true }));
    dots.frustumCulled = false;
    this.group.add(dots);
  }
}

// slate: low is dark, high is pale, told apart in grey too.
function slate(x, c, i) {
  const s = Math.sqrt(x);
  c[i] = 0.10 + 0.85 * s * s; c[i + 1] = 0.22 + 0.72 * s; c[i + 2] = 0.30 + 0.5 * s;
}

// embers: cold is ash, hot glows from dark red to yellow.
function embers(low, high) {
  return (x, c, i) => {
    const t = Math.min(Math.max((low + x * (high - low) - 700) / 1100, 0), 1);
    if (t > 0) { c[i] = Math.min(0.35 + 1.3 * t, 1); c[i + 1] = Math.pow(t, 1.2) * 0.9; c[i + 2] = Math.pow(t, 3) * 0.6; }
    else { c[i] = c[i + 1] = 0.35; c[i + 2] = 0.33; }
  };
}

// numbers reads a part's bytes, which may lie anywhere.
function numbers(Kind, data, at, n) {
  const from = data.byteOffset + at;
  return from % 4 ? new Kind(data.slice(at, at + 4 * n).buffer) : new Kind(data.buffer, from, n);
}
