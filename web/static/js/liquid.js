// A liquid in the picture: its surface, or its particles by their speed.
import * as THREE from 'three';

export class Liquid {
  constructor() {
    this.group = new THREE.Group();
    this.skin = new THREE.Mesh(new THREE.BufferGeometry(), new THREE.MeshPhongMaterial({ color: 0x7f9fa6, specular: 0x555555, shininess: 60, transparent: true, opacity: 0.82, side: THREE.DoubleSide }));
    this.skin.frustumCulled = false;
    this.dots = new THREE.Points(new THREE.BufferGeometry(), new THREE.PointsMaterial({ size: 2, sizeAttenuation: false, vertexColors: true }));
    this.dots.frustumCulled = false;
    this.group.add(this.skin, this.dots);
    this.show(null);
  }

  show(v) {
    const n = v ? v.head : { vertices: 0, particles: 0 };
    this.skin.visible = n.vertices > 0;
    this.dots.visible = n.particles > 0;
    if (!v) return;
    const b = v.data.byteOffset ? v.data.slice().buffer : v.data.buffer; // a draft's packets begin with a head
    if (n.vertices) {
      const g = new THREE.BufferGeometry();
      g.setAttribute('position', new THREE.BufferAttribute(new Float32Array(b, 0, 3 * n.vertices), 3));
      g.setIndex(new THREE.BufferAttribute(new Uint32Array(b, 12 * n.vertices, 3 * n.triangles), 1));
      g.computeVertexNormals();
      this.skin.geometry.dispose();
      this.skin.geometry = g;
    }
    if (n.particles) {
      const g = new THREE.BufferGeometry();
      g.setAttribute('position', new THREE.BufferAttribute(new Float32Array(b, 0, 3 * n.particles), 3));
      const speed = new Uint8Array(b, 12 * n.particles, n.particles), c = new Float32Array(3 * n.particles);
      for (let i = 0; i < speed.length; i++) {
        // slow is dark, fast is pale: told apart in grey too
        const s = Math.sqrt(speed[i] / 255);
        c[3 * i] = 0.10 + 0.85 * s * s; c[3 * i + 1] = 0.22 + 0.72 * s; c[3 * i + 2] = 0.30 + 0.5 * s;
      }
      g.setAttribute('color', new THREE.BufferAttribute(c, 3));
      this.dots.geometry.dispose();
      this.dots.geometry = g;
    }
  }
}
