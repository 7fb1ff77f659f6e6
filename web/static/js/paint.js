// Painting a weight on an imported mesh: a round brush with a soft edge.
import * as THREE from 'three';
import { unpack, tint, turned } from './meshes.js';

export class Painter {
  constructor(view, slug, el, on) {
    this.view = view;
    this.slug = slug;
    this.el = el;
    this.on = on;
    this.bar = document.getElementById('painttools');
    this.bar.hidden = false;
    this.size = this.bar.querySelector('[name=brush]');
    this.strength = this.bar.querySelector('[name=strength]');
    this.mode = 'add';
    this.size.value = (Math.max(...el.size) * 0.15).toPrecision(2);
    this.listen = (type, fn, at) => { const f = fn.bind(this); (at || view.canvas).addEventListener(type, f); this.off.push(() => (at || view.canvas).removeEventListener(type, f)); };
    this.off = [];
    this.listen('pointerdown', this.press);
    this.listen('pointermove', this.move);
    this.listen('pointerup', this.lift);
    this.listen('click', this.button, this.bar);
    this.show();
    this.load();
  }

  async load() {
    const r = await fetch(`/shots/${this.slug}/mesh/${encodeURIComponent(this.el.id)}?full=1&at=${Date.now()}`);
    if (!r.ok) { this.on.note(await r.text(), true); this.view.take(null); return; }
    const m = unpack(await r.arrayBuffer());
    if (this.ended) return;
    this.geometry = m.geometry;
    this.weights = m.weights ? m.weights.slice() : new Uint8Array(m.geometry.getAttribute('position').count);
    tint(this.geometry, this.weights);
    this.geometry.computeVertexNormals();
    this.mesh = new THREE.Mesh(this.geometry, new THREE.MeshLambertMaterial({ vertexColors: true, side: THREE.DoubleSide }));
    this.group = new THREE.Group();
    this.group.position.fromArray(this.el.position);
    this.group.rotation.fromArray(turned(this.el.turn));
    this.group.add(this.mesh);
    this.ring = new THREE.LineLoop(new THREE.BufferGeometry().setFromPoints([...Array(48)].map((_, i) => new THREE.Vector3(Math.cos(i * Math.PI / 24), Math.sin(i * Math.PI / 24), 0))), new THREE.LineBasicMaterial({ color: 0xffffff }));
    this.ring.visible = false;
    this.group.add(this.ring);
    this.view.scene.add(this.group);
    const own = this.view.byId.get(this.el.id);
    if (own) own.visible = false;
    this.view.draw();
    this.on.note('Paint where it takes part. Shift erases; Escape ends.');
  }

  show() { for (const b of this.bar.querySelectorAll('[data-mode]')) b.setAttribute('aria-pressed', b.dataset.mode === this.mode); }

  hit(e) {
    if (!this.mesh) return null;
    return this.view.ray(e).intersectObject(this.mesh)[0] || null;
  }

  press(e) {
    if (e.button !== 0) return;
    const h = this.hit(e);
    if (!h) return;
    e.stopImmediatePropagation();
    this.view.orbit.enabled = false;
    this.painting = true;
    this.stroke(h, e.shiftKey);
  }

  move(e) {
    const h = this.hit(e);
    if (this.ring) {
      this.ring.visible = !!h;
      if (h) {
        this.ring.position.copy(this.mesh.worldToLocal(h.point.clone()));
        this.ring.scale.setScalar(+this.size.value || 0.1);
        this.ring.quaternion.setFromUnitVectors(new THREE.Vector3(0, 0, 1), h.face.normal);
      }
      this.view.draw();
    }
    if (this.painting && h) this.stroke(h, e.shiftKey);
  }

  lift() {
    if (!this.painting) return;
    this.painting = false;
    this.view.orbit.enabled = true;
    this.keep();
  }

  stroke(h, erase) {
    const at = this.mesh.worldToLocal(h.point.clone()), r = Math.max(1e-6, +this.size.value || 0.1);
    const s = Math.min(1, Math.max(0, +this.strength.value / 100)) * 255 * (erase || this.mode === 'erase' ? -1 : 1);
    const p = this.geometry.getAttribute('position'), w = this.weights;
    for (let i = 0; i < w.length; i++) {
      const dx = p.getX(i) - at.x, dy = p.getY(i) - at.y, dz = p.getZ(i) - at.z;
      const q = (dx * dx + dy * dy + dz * dz) / (r * r);
      if (q < 1) w[i] = Math.max(0, Math.min(255, w[i] + s * (1 - q) * (1 - q) + (s > 0 ? 0.5 : -0.5)));
    }
    // a mesh coarser than the brush: the corners of the face that was hit
    const tri = [h.face.a, h.face.b, h.face.c];
    for (const i of tri) if (Math.hypot(p.getX(i) - at.x, p.getY(i) - at.y, p.getZ(i) - at.z) >= r) w[i] = Math.max(0, Math.min(255, w[i] + s * 0.3));
    tint(this.geometry, w);
    this.view.draw();
  }

  button(e) {
    const b = e.target.closest('button');
    if (!b || !this.weights) return;
    if (b.dataset.mode) { this.mode = b.dataset.mode; this.show(); return; }
    if (b.dataset.all === 'end') { this.view.take(null); return; }
    if (b.dataset.all === 'fill') this.weights.fill(255);
    if (b.dataset.all === 'clear') this.weights.fill(0);
    if (b.dataset.all === 'invert') for (let i = 0; i < this.weights.length; i++) this.weights[i] = 255 - this.weights[i];
    tint(this.geometry, this.weights);
    this.view.draw();
    this.keep();
  }

  // every stroke is a step that undo takes back
  async keep() {
    const r = await fetch(`/shots/${this.slug}/paint/${encodeURIComponent(this.el.id)}`, { method: 'POST', headers: { 'Content-Type': 'application/octet-stream', 'X-Zarf-Page': this.on.mine() }, body: this.weights });
    if (!r.ok) this.on.note(await r.text(), true); else this.on.done();
  }

  // undo and redo changed the weights on the server
  async again() {
    if (!this.geometry || this.painting) return;
    const r = await fetch(`/shots/${this.slug}/mesh/${encodeURIComponent(this.el.id)}?full=1&at=${Date.now()}`);
    if (!r.ok || this.ended) return;
    const m = unpack(await r.arrayBuffer());
    this.weights = m.weights ? m.weights.slice() : new Uint8Array(this.weights.length);
    tint(this.geometry, this.weights);
    this.view.draw();
  }

  key(e) {
    if (e.key === 'Escape') { this.view.take(null); return true; }
    return false;
  }

  end() {
    this.ended = true;
    this.bar.hidden = true;
    for (const f of this.off) f();
    if (this.group) this.view.scene.remove(this.group);
    const own = this.view.byId.get(this.el.id);
    if (own) own.visible = true;
    this.view.orbit.enabled = true;
    this.on.note('');
    this.view.draw();
  }
}
