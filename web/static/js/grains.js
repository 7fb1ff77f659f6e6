// Particles in the viewport: dots, trails, or small meshes turned each its own way, coloured
// by a number of theirs. One draw for all dots or trails, and one for each mesh.
import * as THREE from 'three';

const vertex = `
in vec3 offset, tone;
in vec4 turn;
in float size;
out vec3 vAt, vTone;
void main() {
  vec3 p = position + 2.0 * cross(turn.xyz, cross(turn.xyz, position) + turn.w * position);
  vAt = offset + size * p;
  vTone = tone;
  gl_Position = projectionMatrix * viewMatrix * vec4(vAt, 1.0);
}`;

// faces are told by how the place changes from pixel to pixel
const fragment = `
precision highp float;
in vec3 vAt, vTone;
uniform vec3 sunDir, eye;
layout(location = 0) out vec4 outColor;
void main() {
  vec3 n = normalize(cross(dFdx(vAt), dFdy(vAt)));
  if (dot(n, vAt - eye) > 0.0) n = -n;
  outColor = vec4(vTone * (0.35 + 0.2 * n.y + 0.6 * max(dot(n, sunDir), 0.0)), 1.0);
}`;

// Where the processor draws, so many triangles take a second and more: particles are then
// squares of their size, lit as one of their sides would be.
const most = 120000;

const spots = `
in vec3 tone;
in vec4 turn;
in float size;
uniform vec3 sunDir, eye;
uniform vec2 pixels;
out vec3 vTone;
void main() {
  gl_Position = projectionMatrix * viewMatrix * vec4(position, 1.0);
  gl_PointSize = clamp(0.45 * size * projectionMatrix[1][1] * pixels.y / gl_Position.w, 1.0, 64.0);
  vec3 n = vec3(2.0 * (turn.x * turn.z + turn.w * turn.y), 2.0 * (turn.y * turn.z - turn.w * turn.x), 1.0 - 2.0 * (turn.x * turn.x + turn.y * turn.y));
  if (dot(n, position - eye) > 0.0) n = -n;
  vTone = tone * (0.35 + 0.2 * n.y + 0.6 * max(dot(n, sunDir), 0.0));
}`;

const flat = `
precision mediump float;
in vec3 vTone;
layout(location = 0) out vec4 outColor;
void main() { outColor = vec4(vTone, 1.0); }`;

export class Grains {
  // picture: whose light it is
  constructor(picture) { this.picture = picture; this.shared = picture.shared; }

  // of makes the objects for a part of a frame.
  of(v, p) {
    const n = p.particles;
    if (!n) return [];
    let at = p.at;
    const places = numbers(Float32Array, v.data, at, 3 * n), share = v.data.subarray(at + 12 * n, at + 13 * n), tones = new Float32Array(3 * n);
    const tone = p.by === 'temperature' && p.high > 750 ? embers(p.low, p.high) : slate;
    for (let i = 0; i < n; i++) tone(share[i] / 255, tones, 3 * i);
    at += whole(13 * n);
    if (p.trails) return [this.trails(places, numbers(Float32Array, v.data, at, 3 * n), tones)];
    if (p.forms) return this.meshes(v, p, at, places, tones);
    const g = new THREE.BufferGeometry();
    g.setAttribute('position', new THREE.BufferAttribute(places, 3));
    g.setAttribute('color', new THREE.BufferAttribute(tones, 3));
    this.dots = this.dots || new THREE.PointsMaterial({ size: 2, sizeAttenuation: false, vertexColors: true });
    return [seen(new THREE.Points(g, this.dots))];
  }

  trails(head, tail, tones) {
    const n = head.length / 3, ends = new Float32Array(6 * n), c = new Float32Array(6 * n);
    for (let i = 0; i < n; i++) {
      for (let a = 0; a < 3; a++) {
        ends[6 * i + a] = head[3 * i + a];
        ends[6 * i + 3 + a] = tail[3 * i + a];
        c[6 * i + a] = tones[3 * i + a];
        c[6 * i + 3 + a] = tones[3 * i + a] * 0.25;
      }
    }
    const g = new THREE.BufferGeometry();
    g.setAttribute('position', new THREE.BufferAttribute(ends, 3));
    g.setAttribute('color', new THREE.BufferAttribute(c, 3));
    this.line = this.line || new THREE.LineBasicMaterial({ vertexColors: true });
    return seen(new THREE.LineSegments(g, this.line));
  }

  spots(places, tones, sizes, turns) {
    const g = new THREE.BufferGeometry(), u = this.shared;
    g.setAttribute('position', new THREE.BufferAttribute(places, 3));
    g.setAttribute('tone', new THREE.BufferAttribute(tones, 3));
    g.setAttribute('size', new THREE.BufferAttribute(sizes, 1));
    g.setAttribute('turn', new THREE.BufferAttribute(turns, 4, true));
    this.spot = this.spot || new THREE.ShaderMaterial({ glslVersion: THREE.GLSL3, vertexShader: spots, fragmentShader: flat, uniforms: { sunDir: u.sunDir, eye: u.eye, pixels: u.pixels } });
    return seen(new THREE.Points(g, this.spot));
  }

  meshes(v, p, at, places, tones) {
    const n = p.particles, sizes = numbers(Float32Array, v.data, at, n), turns = new Int8Array(v.data.buffer, v.data.byteOffset + at + 4 * n, 4 * n), kinds = v.data.subarray(at + 8 * n, at + 9 * n);
    at += whole(9 * n);
    if (this.picture.slow && n * Math.max(...p.forms.map((f) => f[1])) > most) return [this.spots(places, tones, sizes, turns)];
    this.material = this.material || new THREE.ShaderMaterial({ glslVersion: THREE.GLSL3, vertexShader: vertex, fragmentShader: fragment, side: THREE.DoubleSide, uniforms: { sunDir: this.shared.sunDir, eye: this.shared.eye } });
    return p.forms.map(([corners, triangles], k) => {
      const g = new THREE.InstancedBufferGeometry();
      g.setAttribute('position', new THREE.BufferAttribute(numbers(Float32Array, v.data, at, 3 * corners), 3));
      g.setIndex(new THREE.BufferAttribute(numbers(Uint32Array, v.data, at + 12 * corners, 3 * triangles), 1));
      at += 12 * (corners + triangles);
      const own = [];
      for (let i = 0; i < n; i++) if (kinds[i] === k) own.push(i);
      const take = (Kind, from, each, norm) => {
        const to = new Kind(each * own.length);
        own.forEach((i, j) => { for (let a = 0; a < each; a++) to[each * j + a] = from[each * i + a]; });
        return new THREE.InstancedBufferAttribute(to, each, norm);
      };
      g.setAttribute('offset', take(Float32Array, places, 3, false));
      g.setAttribute('tone', take(Float32Array, tones, 3, false));
      g.setAttribute('size', take(Float32Array, sizes, 1, false));
      g.setAttribute('turn', take(Int8Array, turns, 4, true));
      g.instanceCount = own.length;
      return seen(new THREE.Mesh(g, this.material));
    });
  }
}

const whole = (bytes) => (bytes + 3) & ~3;
function seen(o) { o.frustumCulled = false; return o; }

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
export function numbers(Kind, data, at, n) {
  const from = data.byteOffset + at;
  return from % 4 ? new Kind(data.slice(at, at + 4 * n).buffer) : new Kind(data.buffer, from, n);
}
