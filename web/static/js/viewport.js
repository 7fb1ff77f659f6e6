// The picture: elements, ground, figure and smoke. It draws when something
// changed, not all the time.
import * as THREE from 'three';
import { OrbitControls } from 'three/addons/controls/OrbitControls.js';
import { TransformControls } from 'three/addons/controls/TransformControls.js';
import { Picture, SOLID, GLASS } from './picture.js';
import { Liquid } from './liquid.js';
import { meshes, turned } from './meshes.js';

export class Viewport {
  constructor(canvas, overlay, on) {
    this.canvas = canvas;
    this.fine = 1; // of the full resolution
    this.overlay = overlay;
    this.on = on;
    this.renderer = new THREE.WebGLRenderer({ canvas, antialias: true, preserveDrawingBuffer: false });
    this.scene = new THREE.Scene();
    this.camera = new THREE.PerspectiveCamera(40, 1, 0.02, 2000);
    this.camera.position.set(4, 2.6, 5);
    this.orbit = new OrbitControls(this.camera, canvas);
    this.orbit.enableDamping = false;
    this.orbit.target.set(0, 1, 0);
    this.orbit.addEventListener('change', () => { this.through = null; this.turn(); });
    this.gizmo = new TransformControls(this.camera, canvas);
    this.gizmo.setSize(0.8);
    this.gizmo.setColors(0xc98a6e, 0x93ad76, 0x7796b8, 0xffffff);
    this.gizmo.addEventListener('change', () => this.draw());
    this.gizmo.addEventListener('dragging-changed', (e) => {
      this.orbit.enabled = !e.value;
      if (!e.value && this.chosen) this.placed();
    });
    this.tools = new THREE.Scene(); // drawn over everything
    this.tools.add(this.gizmo.getHelper());
    this.things = new THREE.Group();
    this.scene.add(this.things);
    this.picture = new Picture(this.renderer);
    this.liquid = new Liquid(this.picture);
    this.scene.add(this.liquid.group);
    this.glass = this.picture.skin(false, 0);
    this.sun = new THREE.DirectionalLight();
    this.sky = new THREE.HemisphereLight();
    for (const l of [this.sun, this.sky]) { l.layers.enableAll(); this.scene.add(l); }
    this.scene.add(this.sun.target);
    this.renderer.shadowMap.enabled = true;
    this.renderer.shadowMap.autoUpdate = false; // it is made anew when solids or the sun move
    this.sun.castShadow = true;
    this.picture.sun = this.sun;
    this.sun.shadow.mapSize.set(1024, 1024);
    this.spots = Array.from({ length: 6 }, () => { const l = new THREE.PointLight(0, 1); l.layers.enableAll(); this.scene.add(l); return l; });
    this.daylight(this.picture.day);
    this.byId = new Map();
    this.dress();
    new ResizeObserver(() => this.resize()).observe(canvas.parentElement);
    canvas.addEventListener('pointerdown', (e) => { this.down = [e.clientX, e.clientY]; });
    canvas.addEventListener('pointerup', (e) => this.pick(e));
    document.addEventListener('zarf:theme', () => { this.dress(); this.draw(); });
    this.resize();
  }

  dress() {
    const dark = document.documentElement.dataset.bsTheme !== 'light';
    this.background = dark ? 0.18 : 0.58; // as shown
    this.line = dark ? 0x8c8c8c : 0x2e2e2e;
    if (this.ground) this.scene.remove(this.ground);
    this.ground = null;
    if (this.data) this.show(this.data, true);
  }

  resize() {
    const box = this.canvas.parentElement.getBoundingClientRect();
    if (box.width < 2 || box.height < 2) return;
    this.renderer.setPixelRatio(Math.min(window.devicePixelRatio, 1.5) * this.fine);
    this.renderer.setSize(box.width, box.height, false);
    this.camera.aspect = box.width / box.height;
    this.camera.updateProjectionMatrix();
    this.draw();
  }

  draw() {
    if (this.due) return;
    this.due = requestAnimationFrame(() => { this.due = 0; this.drawNow(); });
  }

  drawNow() {
    const b = this.background;
    this.picture.draw(this.renderer, this.scene, this.camera, [b, b, b], { glass: this.glassy && this.things.visible, water: this.liquid.seenThrough });
    this.renderer.autoClear = false;
    this.renderer.clearDepth();
    this.renderer.render(this.tools, this.camera);
    this.renderer.autoClear = true;
    this.labels();
  }

  // The sun and the sky on what is solid are those of the look.
  daylight(l) {
    this.picture.light(l);
    const set = (c, v, k) => c.setRGB(v[0] * k, v[1] * k, v[2] * k);
    set(this.sun.color, l.sun, 1);
    this.shine();
    set(this.sky.color, l.open, Math.PI);
    this.spots.forEach((s, i) => {
      const from = (l.spots || [])[i];
      s.visible = !!from; // each that is there costs every solid's material
      if (from) { s.position.fromArray(from.at); set(s.color, from.light, 1); }
    });
    set(this.sky.groundColor, l.ground ? l.groundTint.map((t, c) => t * (l.open[c] + l.sun[c] * Math.max(l.sunDir[1], 0) / Math.PI)) : l.below, Math.PI);
  }

  // Draws one of many pictures that follow each other and resolves when it is
  // on the screen. Where the machine draws slowly it takes fewer pixels; once
  // nothing moves any more the full picture is drawn.
  async moving() {
    clearTimeout(this.calm);
    this.calm = setTimeout(() => this.pixels(1), 350);
    const gl = /** @type {WebGL2RenderingContext} */ (this.renderer.getContext()), begin = performance.now();
    await new Promise((r) => { requestAnimationFrame(r); });
    this.drawNow();
    const fence = gl.fenceSync(gl.SYNC_GPU_COMMANDS_COMPLETE, 0);
    gl.flush();
    while (gl.clientWaitSync(fence, 0, 0) === gl.TIMEOUT_EXPIRED) {
      await new Promise((r) => { setTimeout(r, 4); });
      if (performance.now() - begin > 2000) break;
    }
    gl.deleteSync(fence);
    const took = performance.now() - begin;
    if (took > 60 && this.fine > 0.4) this.pixels(this.fine * 0.7);
    else if (took < 18 && this.fine < 1) this.pixels(Math.min(1, this.fine / 0.7));
  }

  // Draws while the view is turned: one picture after the other, and none more than the
  // machine can.
  turn() {
    this.wants = true;
    if (this.turning) return;
    this.turning = true;
    (async () => {
      while (this.wants) { this.wants = false; await this.moving(); }
      this.turning = false;
    })();
  }

  pixels(fine) {
    if (fine === this.fine) return;
    this.fine = fine;
    this.resize();
  }

  // The sun stands where it sees all solids, for their shadows.
  shine() {
    const b = new THREE.Box3();
    for (const o of this.things ? this.things.children : []) o.traverse((c) => { if (c instanceof THREE.Mesh && c.castShadow) b.expandByObject(c); });
    const some = !b.isEmpty(), mid = some ? b.getCenter(new THREE.Vector3()) : new THREE.Vector3(), r = some ? Math.max(b.getSize(new THREE.Vector3()).length() / 2, 1e-3) : 1;
    const d = this.picture.day.sunDir, key = [...d, ...mid.toArray(), r].join();
    this.sun.position.copy(mid).addScaledVector(new THREE.Vector3(d[0], d[1], d[2]), 2 * r);
    this.sun.target.position.copy(mid);
    if (key === this.shone) return;
    this.shone = key;
    const c = this.sun.shadow.camera;
    c.left = c.bottom = -r; c.right = c.top = r; c.near = r * 0.9; c.far = r * 3.1;
    c.updateProjectionMatrix();
    this.sun.shadow.normalBias = r * 0.004;
    this.renderer.shadowMap.needsUpdate = true;
  }

  // What a frame holds: smoke and liquids, and the light that they are in.
  fluid(v) {
    if (v) { this.daylight(v.head.light); this.picture.dither(() => this.draw()); }
    this.picture.smoke(v);
    this.liquid.show(v);
  }

  // figures for tests: the mean and the spread of what is drawn
  measure() {
    this.drawNow();
    const gl = this.renderer.getContext();
    const w = gl.drawingBufferWidth, h = gl.drawingBufferHeight;
    const px = new Uint8Array(w * h * 4);
    gl.readPixels(0, 0, w, h, gl.RGBA, gl.UNSIGNED_BYTE, px);
    let sum = 0;
    for (let i = 0; i < px.length; i += 4) sum += px[i] + px[i + 1] + px[i + 2];
    return sum / (w * h * 3);
  }

  show(data, force) {
    const key = JSON.stringify(data.elements) + data.units;
    if (key === this.key && !force) return;
    this.key = key;
    this.data = data;
    this.things.clear();
    this.byId.clear();
    this.glassy = data.elements.some((e) => e.clear && !e.muted);
    for (const e of data.elements) {
      const o = this.make(e);
      if (!o) continue;
      o.traverse((c) => { c.userData.id = e.id; });
      o.userData.element = e;
      this.things.add(o);
      this.byId.set(e.id, o);
    }
    this.shone = '';
    this.shine();
    this.floor();
    if (!this.framed) { this.framed = true; this.frameAll(); }
    this.choose(this.chosen);
  }

  // The ground's lines stand a whole power of ten apart; every tenth is
  // stronger. The figure is a keeper 1.75 m tall.
  floor() {
    if (this.ground) this.scene.remove(this.ground);
    const size = Math.max(0.01, this.bounds().getSize(new THREE.Vector3()).length());
    const step = Math.pow(10, Math.round(Math.log10(size / 12)));
    const g = new THREE.Group();
    const n = 20;
    const at = new THREE.GridHelper(2 * n * step, 2 * n, this.line, this.line);
    at.material.transparent = true;
    at.material.opacity = 0.16;
    g.add(at);
    const strong = new THREE.GridHelper(2 * n * step, 4, this.line, this.line);
    strong.material.transparent = true;
    strong.material.opacity = 0.3;
    g.add(strong);
    const figure = this.figure();
    const b = this.bounds();
    figure.position.set(b.min.x - 0.35 * Math.max(1, 0.1 * size), 0, b.max.z);
    figure.userData.label = '1.75 m';
    g.add(figure);
    this.figureAt = figure;
    this.ground = g;
    this.step = step;
    this.scene.add(g);
  }

  figure() {
    const pts = [[-0.13, 0], [-0.11, 0.42], [-0.13, 0.86], [-0.2, 0.92], [-0.27, 0.84], [-0.25, 1.3], [-0.2, 1.44], [-0.07, 1.5], [-0.07, 1.55], [-0.11, 1.6], [-0.1, 1.7], [0, 1.75], [0.1, 1.7], [0.11, 1.6], [0.07, 1.55], [0.07, 1.5], [0.2, 1.44], [0.25, 1.3], [0.27, 0.84], [0.2, 0.92], [0.13, 0.86], [0.11, 0.42], [0.13, 0], [0.02, 0], [0, 0.8], [-0.02, 0], [-0.13, 0]];
    const geo = new THREE.BufferGeometry().setFromPoints(pts.map(([x, y]) => new THREE.Vector3(x, y, 0)));
    return new THREE.Line(geo, new THREE.LineBasicMaterial({ color: this.line }));
  }

  geometry(e) {
    const [w, h, d] = e.size;
    if (e.form === 'mesh') return this.imported(e) || new THREE.BoxGeometry(w, h, d);
    const radii = () => (e.taper > 1 ? [0.5 / e.taper, 0.5] : [0.5, 0.5 * e.taper]);
    let g;
    switch (e.form) {
      case 'sphere': g = new THREE.SphereGeometry(0.5, 32, 20); break;
      case 'cylinder': { const [b, t] = radii(); g = new THREE.CylinderGeometry(t, b, 1, 36); break; }
      case 'tube': {
        const [b, t] = radii();
        const wall = Math.min(0.5, e.wall / w);
        const p = (x, y) => new THREE.Vector2(Math.max(x, 0), y);
        g = new THREE.LatheGeometry([p(b - wall, -0.5), p(b, -0.5), p(t, 0.5), p(t - wall, 0.5), p(b - wall, -0.5)], 40);
        break;
      }
      case 'torus': {
        const tube = h / 2, ring = Math.max(w / 2 - tube, 1e-6);
        g = new THREE.TorusGeometry(ring, tube, 18, 48);
        g.rotateX(Math.PI / 2);
        g.scale(1, 1, d / w);
        return g;
      }
      default: g = new THREE.BoxGeometry(1, 1, 1);
    }
    g.scale(w, h, d);
    return g;
  }

  // An imported mesh, once it has come; until then its box stands in.
  imported(e) {
    if (!e.mesh || e.fault) return null;
    const have = meshes.get(this.on.slug, e, this.data.frame, () => { if (this.data) this.show(this.data, true); });
    return have;
  }

  // A guide: its curve with heads along its pace, rings at its reach, and
  // hooks for its swirl.
  guide(e, g) {
    const at = e.line.map((p) => new THREE.Vector3(...p));
    if (at.length < 2) return;
    const o = e.muted ? 0.25 : 0.95;
    g.add(new THREE.Line(new THREE.BufferGeometry().setFromPoints(at), new THREE.LineBasicMaterial({ color: 0xffffff, transparent: true, opacity: o })));
    const pts = [], faint = [];
    const way = Math.sign(e.vector[0]) || 1;
    const marks = Math.min(9, Math.max(2, Math.round(at.length / 8)));
    for (let m = 0; m < marks; m++) {
      const i = Math.min(at.length - 2, Math.round((m + 0.5) / marks * (at.length - 1)));
      const dir = at[i + 1].clone().sub(at[i]).normalize();
      const side = new THREE.Vector3(0, 1, 0).cross(dir);
      if (side.lengthSq() < 1e-4) side.set(1, 0, 0).cross(dir);
      side.normalize();
      const up = dir.clone().cross(side);
      const r = e.radius, tip = at[i].clone().addScaledVector(dir, way * r * 0.22);
      for (const s of [-1, 1]) pts.push(tip, at[i].clone().addScaledVector(side, s * r * 0.12));
      const ring = (a, q) => at[i].clone().addScaledVector(side, Math.cos(a) * q).addScaledVector(up, Math.sin(a) * q);
      for (let a = 0; a < 40; a++) if (a % 4 < 2) faint.push(ring(a * Math.PI / 20, r), ring((a + 1) * Math.PI / 20, r));
      if (e.swirl) {
        const s = Math.sign(e.swirl);
        for (const from of [0, Math.PI]) {
          for (let a = 0; a < 8; a++) pts.push(ring(from + s * a * 0.16, r / 2), ring(from + s * (a + 1) * 0.16, r / 2));
          const end = ring(from + s * 1.28, r / 2), back = from + s * 1.08;
          pts.push(end, ring(back, r * 0.56), end, ring(back, r * 0.44));
        }
      }
    }
    this.lines(g, pts, o);
    this.lines(g, faint, e.muted ? 0.1 : 0.35);
    // something to click on
    for (let i = 0; i < at.length; i += 3) {
      const ball = new THREE.Mesh(new THREE.SphereGeometry(Math.max(e.radius * 0.18, 1e-3), 6, 4), new THREE.MeshBasicMaterial({ visible: false }));
      ball.position.copy(at[i]);
      g.add(ball);
    }
  }

  // A shape pull: its form in faint lines, with short strokes that point in.
  pull(e, g, geo) {
    g.add(new THREE.Mesh(geo, new THREE.MeshBasicMaterial({ color: 0xffffff, transparent: true, opacity: 0.05, depthWrite: false })));
    g.add(new THREE.LineSegments(new THREE.EdgesGeometry(geo, 30), new THREE.LineBasicMaterial({ color: 0xffffff, transparent: true, opacity: e.muted ? 0.2 : 0.6 })));
    const p = geo.getAttribute('position'), mid = new THREE.Vector3(), pts = [];
    if (!geo.getAttribute('normal')) geo.computeVertexNormals();
    const n = geo.getAttribute('normal');
    const step = Math.max(1, Math.floor(p.count / 60));
    for (let i = 0; i < p.count; i += step) {
      const a = mid.clone().fromBufferAttribute(p, i), d = new THREE.Vector3().fromBufferAttribute(n, i);
      const near = a.clone().addScaledVector(d, e.radius * 0.15), far = a.clone().addScaledVector(d, e.radius * 0.5);
      pts.push(near, far);
    }
    this.lines(g, pts, e.muted ? 0.1 : 0.45);
  }

  make(e) {
    if (e.kind === 'domain') return this.domain(e);
    if (e.kind === 'camera') return this.cameraMark(e);
    if (e.kind === 'lamp') return this.lampMark(e);
    const g = new THREE.Group();
    g.position.fromArray(e.position);
    if (e.kind === 'wind') {
      const v = new THREE.Vector3(...e.vector);
      const len = Math.max(v.length(), 1e-6);
      const size = this.reach() * 0.25;
      g.add(new THREE.ArrowHelper(v.clone().normalize(), new THREE.Vector3(), size, this.line, size * 0.22, size * 0.1));
      const shaft = v.clone().normalize().multiplyScalar(size);
      for (const s of [-0.06, 0.06]) {
        const side = new THREE.Vector3(0, s * size * 2, 0);
        g.add(new THREE.Line(new THREE.BufferGeometry().setFromPoints([side, shaft.clone().multiplyScalar(0.7).add(side)]), new THREE.LineBasicMaterial({ color: this.line })));
      }
      g.userData.note = len.toFixed(1) + ' m/s';
    } else if (e.kind === 'turbulence') {
      const r = this.reach() * 0.05;
      const pts = [];
      for (let i = 0; i <= 60; i++) { const a = i / 60 * Math.PI * 5; pts.push(new THREE.Vector3(Math.cos(a) * r * i / 60, Math.sin(a) * r * i / 60, 0)); }
      g.add(new THREE.Line(new THREE.BufferGeometry().setFromPoints(pts), new THREE.LineBasicMaterial({ color: this.line })));
      this.handle(g, r);
    } else if (e.kind === 'vortex') {
      // an open ring of arrows round its axis
      g.rotation.fromArray(turned(e.turn));
      const r = e.radius, way = Math.sign(e.vector[0]) || 1, pts = [];
      for (let ring = 0; ring < 2; ring++) {
        const y = (ring - 0.5) * r * 0.7, q = r * (1 - 0.25 * ring);
        for (let part = 0; part < 3; part++) {
          const at = (a) => { const b = way * (a + part * 2.0944); return new THREE.Vector3(Math.cos(b) * q, y, -Math.sin(b) * q); };
          for (let i = 0; i < 12; i++) pts.push(at(i * 0.14), at((i + 1) * 0.14));
          const tip = at(1.68), back = at(1.48);
          pts.push(tip, back.clone().multiplyScalar(1.12).setY(y), tip, back.clone().multiplyScalar(0.88).setY(y));
        }
      }
      pts.push(new THREE.Vector3(0, -r, 0), new THREE.Vector3(0, r, 0));
      this.lines(g, pts, 0.9);
      this.handle(g, r * 0.4);
    } else if (e.kind === 'radial') {
      const r = e.radius, out = e.vector[0] >= 0, pts = [];
      for (const [x, y, z] of [[1, 0, 0], [-1, 0, 0], [0, 1, 0], [0, -1, 0], [0, 0, 1], [0, 0, -1], [0.7, 0.7, 0], [-0.7, 0.7, 0], [0.7, -0.7, 0], [-0.7, -0.7, 0]]) {
        const d = new THREE.Vector3(x, y, z), a = d.clone().multiplyScalar(r * 0.45), b = d.clone().multiplyScalar(r);
        const [tip, tail] = out ? [b, a] : [a, b];
        const side = new THREE.Vector3(-y || z, x, -x || 0).normalize().multiplyScalar(r * 0.07);
        const neck = tip.clone().lerp(tail, 0.3);
        pts.push(a, b, tip, neck.clone().add(side), tip, neck.clone().sub(side));
      }
      this.lines(g, pts, 0.9);
      this.handle(g, r * 0.4);
    } else if (e.kind === 'drag') {
      const r = this.reach() * 0.04, pts = [];
      for (let i = -1; i <= 1; i++) pts.push(new THREE.Vector3(-r, i * r * 0.6, 0), new THREE.Vector3(r * (0.4 + 0.3 * i), i * r * 0.6, 0));
      pts.push(new THREE.Vector3(r, -r, 0), new THREE.Vector3(r, r, 0));
      this.lines(g, pts, 0.9);
      this.handle(g, r);
    } else if (e.kind === 'guide') {
      this.guide(e, g);
    } else if (!e.form) { // a kind that is shown by its strokes alone
    } else {
      const geo = this.geometry(e);
      g.rotation.fromArray(turned(e.turn));
      if (e.inner) return this.moved(e, g, geo);
      if (e.kind === 'pull') {
        this.pull(e, g, geo);
      } else if (e.kind === 'collider' || e.kind === 'mesh') {
        this.solid(e, g, geo);
      } else {
        g.add(new THREE.Mesh(geo, new THREE.MeshBasicMaterial({ color: 0xffffff, transparent: true, opacity: 0.06, depthWrite: false })));
        g.add(new THREE.LineSegments(new THREE.EdgesGeometry(geo, 25), new THREE.LineDashedMaterial({ color: 0xffffff, transparent: true, opacity: e.muted ? 0.25 : 0.85 })));
        const v = new THREE.Vector3(...e.vector);
        if (v.length() > 0) {
          const w = new THREE.Group();
          w.rotation.copy(g.rotation);
          const arrow = new THREE.ArrowHelper(new THREE.Vector3(0, Math.sign(1), 0), new THREE.Vector3(0, e.size[1] / 2, 0), Math.max(...e.size) * 0.8, 0xffffff, e.size[0] * 0.3, e.size[0] * 0.2);
          g.add(arrow);
        }
      }
    }
    if (e.region) g.add(this.region(e));
    this.strokes(e, g);
    return g;
  }

  // Something solid is lit, or made of glass; lines see of it where it is, and so does the
  // pointer.
  solid(e, g, geo, tinted) {
    const color = tinted ? 0xffffff : new THREE.Color(e.colour || '#777777');
    if (e.muted) {
      g.add(new THREE.Mesh(geo, new THREE.MeshBasicMaterial({ color, vertexColors: !!tinted, transparent: true, opacity: 0.2, depthWrite: false, side: THREE.DoubleSide })));
      return;
    }
    const lit = new THREE.Mesh(geo, e.clear ? this.glass : new THREE.MeshLambertMaterial({ color, vertexColors: !!tinted, side: THREE.DoubleSide }));
    lit.layers.set(e.clear ? GLASS : SOLID);
    lit.castShadow = lit.receiveShadow = !e.clear;
    const trace = new THREE.Mesh(geo, new THREE.MeshBasicMaterial({ colorWrite: false, depthWrite: !e.clear, side: THREE.DoubleSide }));
    g.add(lit, trace);
  }

  // Lines in space that any kind of element may show, to be picked like a form.
  strokes(e, g) {
    for (const s of e.strokes || []) {
      const at = s.map((p) => new THREE.Vector3(...p).sub(g.position));
      const line = new THREE.Line(new THREE.BufferGeometry().setFromPoints(at), new THREE.LineBasicMaterial({ color: this.line, transparent: true, opacity: e.muted ? 0.25 : 0.9 }));
      line.name = 'stroke';
      g.add(line);
    }
  }

  // What a file moves hangs in a group of its own, so that the gizmo sets the
  // element's place and not the animation's.
  moved(e, g, geo) {
    const inner = new THREE.Group();
    inner.position.fromArray(e.inner.slice(0, 3));
    inner.rotation.fromArray(turned(e.inner.slice(3)));
    const tinted = geo.getAttribute('color');
    if (e.kind === 'pull') {
      this.pull(e, inner, geo);
    } else if (e.kind === 'emitter') {
      inner.add(new THREE.Mesh(geo, new THREE.MeshBasicMaterial({ color: 0xffffff, vertexColors: !!tinted, transparent: true, opacity: tinted ? 0.5 : 0.12, depthWrite: false, side: THREE.DoubleSide })));
      inner.add(new THREE.LineSegments(new THREE.EdgesGeometry(geo, 25), new THREE.LineBasicMaterial({ color: 0xffffff, transparent: true, opacity: e.muted ? 0.25 : 0.7 })));
    } else {
      this.solid(e, inner, geo, !!tinted);
    }
    g.add(inner);
    return g;
  }

  lines(g, pts, opacity) {
    g.add(new THREE.LineSegments(new THREE.BufferGeometry().setFromPoints(pts), new THREE.LineBasicMaterial({ color: this.line, transparent: true, opacity })));
  }

  // something to click on
  handle(g, r) {
    g.add(new THREE.Mesh(new THREE.SphereGeometry(r), new THREE.MeshBasicMaterial({ visible: false })));
  }

  // The region of a force: short dashes where it acts fully, faint ones where
  // it has faded out.
  region(e) {
    const box = new THREE.Group();
    const add = (w, h, d, opacity) => {
      let geo;
      if (e.region === 'sphere') {
        const pts = [];
        for (let axis = 0; axis < 3; axis++) {
          for (let i = 0; i < 64; i++) {
            for (const a of [i, i + 0.6]) {
              const c = Math.cos(a * Math.PI / 32) / 2, s = Math.sin(a * Math.PI / 32) / 2;
              pts.push(axis === 0 ? new THREE.Vector3(0, c * h, s * d) : axis === 1 ? new THREE.Vector3(c * w, 0, s * d) : new THREE.Vector3(c * w, s * h, 0));
            }
          }
        }
        geo = new THREE.BufferGeometry().setFromPoints(pts);
        box.add(new THREE.LineSegments(geo, new THREE.LineBasicMaterial({ color: this.line, transparent: true, opacity })));
        return;
      }
      geo = new THREE.EdgesGeometry(new THREE.BoxGeometry(w, h, d));
      const lines = new THREE.LineSegments(geo, new THREE.LineDashedMaterial({ color: this.line, transparent: true, opacity, dashSize: Math.max(w, h, d) / 40, gapSize: Math.max(w, h, d) / 40 }));
      lines.computeLineDistances();
      box.add(lines);
    };
    add(...e.size, e.muted ? 0.2 : 0.8);
    if (e.fade > 0) add(...e.size.map((v) => v + 2 * e.fade), e.muted ? 0.08 : 0.25);
    // a vortex turns; its region doesn't
    const r = new THREE.Euler().fromArray(turned(e.turn || [0, 0, 0]));
    box.quaternion.setFromEuler(r).invert();
    return box;
  }

  reach() {
    let r = 1;
    for (const e of (this.data ? this.data.elements : [])) if (e.kind === 'domain') r = Math.max(e.max[0] - e.min[0], e.max[1] - e.min[1], e.max[2] - e.min[2]);
    return r;
  }

  // A domain is its edges; walls are hatched, open sides are not.
  domain(e) {
    const g = new THREE.Group();
    const min = new THREE.Vector3(...e.min), max = new THREE.Vector3(...e.max);
    const size = max.clone().sub(min), mid = min.clone().add(max).multiplyScalar(0.5);
    g.position.copy(mid);
    const box = new THREE.BoxGeometry(size.x, size.y, size.z);
    g.add(new THREE.LineSegments(new THREE.EdgesGeometry(box), new THREE.LineBasicMaterial({ color: this.line, transparent: true, opacity: e.muted ? 0.25 : 0.9 })));
    const pts = [];
    const step = Math.max(size.x, size.y, size.z) / 24;
    const axes = [[1, 2], [0, 2], [0, 1]];
    (e.walls || []).forEach((wall, side) => {
      if (!wall) return;
      const a = side >> 1, [b, c] = axes[a];
      const s = [size.x, size.y, size.z];
      for (let t = -s[c]; t < s[b]; t += step) {
        const p = [0, 0, 0], q = [0, 0, 0];
        p[a] = q[a] = (side & 1 ? 0.5 : -0.5) * s[a];
        const t0 = Math.max(t, 0), t1 = Math.min(t + s[c], s[b]);
        if (t1 <= t0) continue;
        p[b] = t0 - s[b] / 2; p[c] = t0 - t - s[c] / 2;
        q[b] = t1 - s[b] / 2; q[c] = t1 - t - s[c] / 2;
        pts.push(new THREE.Vector3(...p), new THREE.Vector3(...q));
      }
    });
    if (pts.length) g.add(new THREE.LineSegments(new THREE.BufferGeometry().setFromPoints(pts), new THREE.LineBasicMaterial({ color: this.line, transparent: true, opacity: 0.13 })));
    return g;
  }

  // A lamp: its surface, and short rays the way that it shines.
  lampMark(e) {
    const g = new THREE.Group(), ball = e.form === 'ball', [w, h] = e.size;
    g.position.fromArray(e.position);
    if (!ball) g.lookAt(new THREE.Vector3(...e.target));
    const skin = new THREE.MeshBasicMaterial({ color: e.colour, side: THREE.DoubleSide });
    g.add(new THREE.Mesh(ball ? new THREE.SphereGeometry(w / 2, 20, 12) : new THREE.PlaneGeometry(w, h), skin));
    const pts = [], r = ball ? w / 2 : 0;
    const ways = ball ? [[1, 0, 0], [-1, 0, 0], [0, 1, 0], [0, -1, 0], [0, 0, 1], [0, 0, -1]] : [[-1, -1], [1, -1], [1, 1], [-1, 1]];
    for (const p of ways) {
      const a = ball ? new THREE.Vector3(...p) : new THREE.Vector3(p[0] * w / 2, p[1] * h / 2, 0);
      const d = ball ? a.clone() : new THREE.Vector3(0, 0, 1), o = ball ? a.clone().multiplyScalar(r) : a;
      pts.push(o.clone().addScaledVector(d, 0.1 * w), o.clone().addScaledVector(d, 0.5 * w));
    }
    g.add(new THREE.LineSegments(new THREE.BufferGeometry().setFromPoints(pts), new THREE.LineBasicMaterial({ color: this.line })));
    return g;
  }

  cameraMark(e) {
    const g = new THREE.Group();
    g.position.fromArray(e.position);
    g.lookAt(new THREE.Vector3(...e.target));
    const far = 0.5, w = 18 / e.lens * far, h = w * 9 / 16;
    const c = [[-w, -h], [w, -h], [w, h], [-w, h]].map(([x, y]) => new THREE.Vector3(x, y, far));
    const o = new THREE.Vector3();
    const pts = [];
    c.forEach((p, i) => pts.push(o, p, p, c[(i + 1) % 4]));
    g.add(new THREE.LineSegments(new THREE.BufferGeometry().setFromPoints(pts), new THREE.LineBasicMaterial({ color: this.line })));
    g.add(new THREE.Mesh(new THREE.SphereGeometry(0.12), new THREE.MeshBasicMaterial({ visible: false })));
    return g;
  }

  bounds() {
    const b = new THREE.Box3();
    for (const e of (this.data ? this.data.elements : [])) if (e.kind === 'domain' && !e.muted) b.union(new THREE.Box3(new THREE.Vector3(...e.min), new THREE.Vector3(...e.max)));
    if (b.isEmpty()) b.set(new THREE.Vector3(-1, 0, -1), new THREE.Vector3(1, 2, 1));
    return b;
  }

  frameAll() { this.look(this.bounds()); }

  frame() {
    const o = this.byId.get(this.chosen);
    const b = o ? new THREE.Box3().setFromObject(o) : this.bounds();
    this.look(b.isEmpty() ? this.bounds() : b);
  }

  look(b) {
    const mid = b.getCenter(new THREE.Vector3()), r = Math.max(b.getSize(new THREE.Vector3()).length() / 2, 1e-3);
    const dir = this.camera.position.clone().sub(this.orbit.target).normalize();
    const half = Math.min(this.camera.fov, this.camera.fov * this.camera.aspect) * Math.PI / 360;
    this.orbit.target.copy(mid);
    this.camera.position.copy(mid).addScaledVector(dir, r / Math.sin(half) * 0.92);
    this.camera.near = r / 100;
    this.camera.far = r * 200;
    this.camera.fov = 40;
    this.camera.updateProjectionMatrix();
    this.orbit.update();
    this.draw();
  }

  throughCamera() {
    const e = this.data && this.data.elements.find((x) => x.kind === 'camera' && !x.muted);
    if (!e) return;
    this.camera.position.fromArray(e.position);
    this.orbit.target.fromArray(e.target);
    // the picture's width is 36 mm on a 16:9 frame; fit that width
    const w = 18 / e.lens;
    this.camera.fov = 2 * Math.atan(Math.max(w / this.camera.aspect, w * 9 / 16)) * 180 / Math.PI;
    this.camera.updateProjectionMatrix();
    this.orbit.update();
    this.draw();
  }

  choose(id) {
    this.chosen = id;
    this.gizmo.detach();
    const o = this.byId.get(id);
    if (o && this.canPlace(o.userData.element)) this.gizmo.attach(o);
    const e = o && o.userData.element;
    this.picture.reach(e && e.kind === 'guide' && !e.muted ? e : null); // what it acts on shows in the smoke
    this.draw();
  }

  canPlace(e) { return !this.tool && this.on.editable && !e.muted && !e.placeless && e.kind !== undefined; }

  setGizmo(mode) {
    this.gizmo.setMode(mode);
    this.draw();
  }

  // What the gizmo did goes to the server as a value.
  placed() {
    const o = this.byId.get(this.chosen);
    if (!o) return;
    const e = o.userData.element;
    if (this.gizmo.mode === 'translate') {
      const p = e.kind === 'domain' ? o.position.clone().sub(new THREE.Vector3(...e.min).add(new THREE.Vector3(...e.max)).multiplyScalar(0.5)).add(new THREE.Vector3(...e.position)) : o.position;
      this.on.place(e.id, 'position', p.toArray());
    } else if (this.gizmo.mode === 'rotate' && e.turn && e.form) {
      const r = new THREE.Euler().setFromQuaternion(o.quaternion, 'ZYX');
      this.on.place(e.id, 'turn', [r.x, r.y, r.z].map((a) => Math.round(a * 1800 / Math.PI) / 10));
    } else if (this.gizmo.mode === 'scale' && (e.form || e.kind === 'domain')) {
      this.on.place(e.id, 'size', e.size.map((s, i) => Math.max(1e-4, s * Math.abs(o.scale.getComponent(i)))));
    } else {
      this.show(this.data, true);
    }
  }

  // A tool (painting, drawing a curve) takes the pointer until it is put down.
  take(tool) {
    if (this.tool) this.tool.end();
    this.tool = tool;
    this.choose(this.chosen);
  }

  // ray through the pointer
  ray(ev) {
    const box = this.canvas.getBoundingClientRect();
    const p = new THREE.Vector2((ev.clientX - box.left) / box.width * 2 - 1, 1 - (ev.clientY - box.top) / box.height * 2);
    const r = new THREE.Raycaster();
    r.setFromCamera(p, this.camera);
    return r;
  }

  pick(ev) {
    if (this.tool) return;
    if (!this.down || this.gizmo.dragging || Math.hypot(ev.clientX - this.down[0], ev.clientY - this.down[1]) > 3 || ev.button !== 0) return;
    const box = this.canvas.getBoundingClientRect();
    const p = new THREE.Vector2((ev.clientX - box.left) / box.width * 2 - 1, 1 - (ev.clientY - box.top) / box.height * 2);
    const ray = new THREE.Raycaster();
    ray.params.Line.threshold = this.reach() * 0.008;
    ray.setFromCamera(p, this.camera);
    const hits = ray.intersectObjects(this.things.children, true).filter((h) => h.object.userData.id);
    // emitters stand inside other things: they come first, domains last
    const rank = (h) => { const k = this.byId.get(h.object.userData.id).userData.element.kind; return k === 'emitter' ? 0 : k === 'domain' ? 2 : 1; };
    hits.sort((a, b) => rank(a) - rank(b) || a.distance - b.distance);
    this.on.choose(hits.length ? hits[0].object.userData.id : null);
  }

  lengthText(m) {
    const unit = this.data ? this.data.units : 'm';
    const v = unit === 'mm' ? m * 1000 : unit === 'cm' ? m * 100 : m;
    return `${+v.toPrecision(4)} ${unit}`;
  }

  labels() {
    const want = [];
    const box = this.canvas.getBoundingClientRect();
    const put = (text, at, chosen) => {
      const p = at.clone().project(this.camera);
      if (p.z > 1 || Math.abs(p.x) > 1 || Math.abs(p.y) > 1) return;
      want.push({ text, chosen, x: (p.x + 1) / 2 * box.width, y: (1 - p.y) / 2 * box.height });
    };
    if (this.figureAt && this.figureAt.visible) put(this.lengthText(1.75), this.figureAt.position.clone().add(new THREE.Vector3(0, 1.8, 0)));
    if (this.step) put(`${this.lengthText(this.step)} a line`, new THREE.Vector3(this.bounds().max.x, 0, this.bounds().max.z + this.step * 0.4));
    const o = this.byId.get(this.chosen);
    if (o) put(o.userData.element.name, new THREE.Vector3(o.position.x, new THREE.Box3().setFromObject(o).max.y, o.position.z), true);
    while (this.overlay.children.length > want.length) this.overlay.lastChild.remove();
    want.forEach((w, i) => {
      const s = this.overlay.children[i] || this.overlay.appendChild(document.createElement('span'));
      s.textContent = w.text;
      s.className = w.chosen ? 'chosen' : '';
      s.style.left = w.x + 'px';
      s.style.top = w.y + 'px';
    });
  }
}
