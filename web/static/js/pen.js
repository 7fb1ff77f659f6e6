// Drawing a guide's curve point by point in the picture.
import * as THREE from 'three';

const num = (v) => String(Math.round(v * 1e4) / 1e4);

export class Pen {
  constructor(view, el, on) {
    this.view = view;
    this.el = el;
    this.on = on;
    this.shift = new THREE.Vector3(...el.position);
    this.points = (el.points || []).map((p) => new THREE.Vector3(...p).add(this.shift));
    this.chosen = -1;
    this.group = new THREE.Group();
    view.scene.add(this.group);
    this.off = [];
    for (const [type, fn] of /** @type {[string, (e: any) => void][]} */ ([['pointerdown', this.press], ['pointermove', this.move], ['pointerup', this.lift], ['dblclick', this.insert]])) {
      const f = fn.bind(this);
      view.canvas.addEventListener(type, f);
      this.off.push(() => view.canvas.removeEventListener(type, f));
    }
    on.note('Drag points. Double-click the curve for another one, beyond its end to go on. Delete takes one away; Escape ends.');
    this.build();
  }

  build() {
    this.group.clear();
    const r = this.view.camera.position.distanceTo(this.view.orbit.target) * 0.011;
    this.points.forEach((p, i) => {
      const b = new THREE.Mesh(new THREE.SphereGeometry(r, 12, 8), new THREE.MeshBasicMaterial({ color: i === this.chosen ? 0x46a798 : 0xffffff, depthTest: false }));
      b.renderOrder = 5;
      b.position.copy(p);
      b.userData.n = i;
      this.group.add(b);
    });
    const line = new THREE.Line(new THREE.BufferGeometry().setFromPoints(this.points), new THREE.LineBasicMaterial({ color: 0x46a798, transparent: true, opacity: 0.5, depthTest: false }));
    this.group.add(line);
    this.view.draw();
  }

  press(e) {
    if (e.button !== 0) return;
    const h = this.view.ray(e).intersectObjects(this.group.children.filter((c) => c instanceof THREE.Mesh))[0];
    if (!h) return;
    e.stopImmediatePropagation();
    this.view.orbit.enabled = false;
    this.chosen = h.object.userData.n;
    this.dragging = true;
    this.build();
  }

  // where the pointer meets the plane through p that faces the viewer
  onPlane(e, p) {
    const n = this.view.camera.getWorldDirection(new THREE.Vector3());
    return this.view.ray(e).ray.intersectPlane(new THREE.Plane().setFromNormalAndCoplanarPoint(n, p), new THREE.Vector3());
  }

  move(e) {
    if (!this.dragging) return;
    const q = this.onPlane(e, this.points[this.chosen]);
    if (!q) return;
    this.points[this.chosen].copy(q);
    this.moved = true;
    this.build();
  }

  lift() {
    if (!this.dragging) return;
    this.dragging = false;
    this.view.orbit.enabled = true;
    if (this.moved) { this.moved = false; this.keep(); }
  }

  insert(e) {
    const ray = this.view.ray(e).ray;
    let best = -1, least = Infinity, at = null;
    for (let i = 0; i + 1 < this.points.length; i++) {
      const on = new THREE.Vector3();
      const d = ray.distanceSqToSegment(this.points[i], this.points[i + 1], null, on);
      if (d < least) { least = d; best = i; at = on; }
    }
    const near = this.view.camera.position.distanceTo(this.view.orbit.target) * 0.03;
    if (at && least < near * near) {
      this.points.splice(best + 1, 0, at.clone());
      this.chosen = best + 1;
    } else {
      const q = this.onPlane(e, this.points.length ? this.points[this.points.length - 1] : this.view.orbit.target);
      if (!q) return;
      this.points.push(q);
      this.chosen = this.points.length - 1;
    }
    this.build();
    this.keep();
  }

  key(e) {
    if (e.key === 'Escape' || e.key === 'Enter') { this.view.take(null); return true; }
    if ((e.key === 'Delete' || e.key === 'Backspace') && this.chosen >= 0 && this.points.length > 2) {
      this.points.splice(this.chosen, 1);
      this.chosen = -1;
      this.build();
      this.keep();
      return true;
    }
    return e.key === 'Delete';
  }

  keep() { this.on.set(this.points.map((p) => p.clone().sub(this.shift)).map((p) => [p.x, p.y, p.z].map(num).join(' ')).join('; ')); }

  // the server's curve after undo or typing
  again(el) {
    if (this.dragging || !el.points) return;
    this.shift.fromArray(el.position);
    this.points = el.points.map((p) => new THREE.Vector3(...p).add(this.shift));
    this.build();
  }

  end() {
    for (const f of this.off) f();
    this.view.scene.remove(this.group);
    this.view.orbit.enabled = true;
    this.on.note('');
    this.view.draw();
  }
}
