// Liquids in the picture: their surfaces in the look's light, or their particles; cloth; and
// particles that live on their own (grains.js).
import * as THREE from 'three';
import { Grains, numbers } from './grains.js';
import { SOLID, WET } from './picture.js';

export class Liquid {
  constructor(picture) {
    this.picture = picture;
    this.group = new THREE.Group();
    this.opaque = picture.skin(true, 0);
    this.clear = picture.skin(false, -1);
    this.grains = new Grains(picture);
    this.show(null);
  }

  get seenThrough() { return this.group.children.some((c) => c.layers.isEnabled(WET)); }

  show(v) {
    for (const c of this.group.children) if (c instanceof THREE.Mesh || c instanceof THREE.Points || c instanceof THREE.LineSegments) c.geometry.dispose();
    this.group.clear();
    if (!v) return;
    for (const p of v.head.parts) {
      if (p.cloth) this.cloth(v, p);
      else if (p.vertices) this.skin(v, p);
      for (const o of this.grains.of(v, p)) this.group.add(o);
    }
  }

  faces(v, p) {
    const g = new THREE.BufferGeometry();
    g.setAttribute('position', new THREE.BufferAttribute(numbers(Float32Array, v.data, p.at, 3 * p.vertices), 3));
    g.setIndex(new THREE.BufferAttribute(numbers(Uint32Array, v.data, p.at + 12 * p.vertices, 3 * p.triangles), 1));
    g.computeVertexNormals();
    return g;
  }

  cloth(v, p) {
    const g = this.faces(v, p), at = p.at + 12 * (p.vertices + p.triangles);
    g.setAttribute('tone', new THREE.BufferAttribute(v.data.slice(at, at + 3 * p.vertices), 3, true));
    this.fabric = this.fabric || this.picture.skin(true, 0, true);
    const mesh = new THREE.Mesh(g, this.fabric);
    mesh.frustumCulled = false;
    mesh.layers.set(SOLID);
    this.group.add(mesh);
  }

  skin(v, p) {
    const look = v.head.light.liquid, g = this.faces(v, p);
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
}
