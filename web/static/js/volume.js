// Smoke in the viewport: a box marched front to back through a 3-D texture of
// density and light that the server has baked.
import * as THREE from 'three';

const vertex = `
out vec3 vPos;
out float vDepth;
void main() {
  vPos = position;
  vDepth = -(modelViewMatrix * vec4(position, 1.0)).z;
  gl_Position = projectionMatrix * modelViewMatrix * vec4(position, 1.0);
}`;

const fragment = `
precision highp float;
precision highp sampler3D;
in vec3 vPos;
in float vDepth;
out vec4 outColor;
uniform sampler3D map;
uniform vec3 eye;      // in the unit box
uniform vec3 extent;   // metres
uniform float top;     // density of 255
uniform float sigma;   // extinction, 1/m for density 1
uniform float steps;
uniform float hottest;    // kelvin of 255; 0 without fire
uniform float fuse;       // light of burning gas over a metre
uniform sampler2D solids; // depth of what is solid in the picture
uniform vec2 pixels;
uniform vec2 range;       // near, far
#ifdef REACH
uniform vec4 way[24];     // a chosen guide: metres from the box's corner, and its reach there
uniform int ways;         // how many of its points; 0 without one
// how far within the guide's reach a place is: 1 on its curve, 0 out of reach
float within(vec3 p) {
  float most = 0.0;
  for (int i = 0; i < 23; i++) {
    if (i + 1 >= ways) break;
    vec3 a = way[i].xyz, d = way[i + 1].xyz - a;
    float s = clamp(dot(p - a, d) / max(dot(d, d), 1e-12), 0.0, 1.0);
    float r = mix(way[i].w, way[i + 1].w, s);
    most = max(most, 1.0 - length(p - a - d * s) / max(r, 1e-6));
  }
  return most;
}
#endif
float hash(vec2 p) { return fract(sin(dot(p, vec2(12.9898, 78.233))) * 43758.5453); }
// black-body colour, roughly, for the fourth power of the temperature
vec3 glow(float k) {
  float t = k / 1500.0;
  vec3 c = mix(vec3(1.0, 0.16, 0.0), vec3(1.0, 0.45, 0.10), smoothstep(900.0, 1500.0, k));
  c = mix(c, vec3(1.0, 0.72, 0.40), smoothstep(1500.0, 2600.0, k));
  return c * t * t * t * t * smoothstep(500.0, 800.0, k);
}
void main() {
  vec3 dir = vPos - eye;
  vec3 inv = 1.0 / dir;
  vec3 a = (vec3(0.0) - eye) * inv, b = (vec3(1.0) - eye) * inv;
  vec3 lo = min(a, b), hi = max(a, b);
  float t0 = max(max(lo.x, lo.y), max(lo.z, 0.0)), t1 = min(hi.x, min(hi.y, hi.z));
  // the ray ends at the first solid; t is 1 at this fragment
  float z = texture(solids, gl_FragCoord.xy / pixels).r;
  float away = range.x * range.y / (range.y - z * (range.y - range.x));
  if (z < 1.0) t1 = min(t1, away / vDepth);
  if (t1 <= t0) discard;
  float len = length(dir * extent);
  float dt = max((t1 - t0) / steps, 1e-5);
  float t = t0 + dt * hash(gl_FragCoord.xy);
  float through = 1.0;
  vec3 light = vec3(0.0);
  for (int i = 0; i < 256; i++) {
    if (t > t1 || through < 0.01) break;
    vec4 s = texture(map, eye + dir * t);
    float d = s.r * s.r * top;
#ifdef FIRE
    float k = s.a * hottest;
    if (k > 500.0) light += through * (s.b * fuse + 0.4 * d * sigma) * glow(k) * dt * len;
#endif
    if (d > 0.0005) {
      float tr = exp(-d * sigma * dt * len);
      vec3 shade = mix(vec3(0.10, 0.11, 0.13), vec3(0.93, 0.92, 0.90), s.g);
#ifdef REACH
      shade *= mix(vec3(1.0), vec3(0.48, 0.96, 0.86), smoothstep(0.0, 0.25, within((eye + dir * t) * extent)));
#endif
      light += through * (1.0 - tr) * shade;
      through *= tr;
    }
    t += dt;
  }
#ifdef FIRE
  light = 1.0 - exp(-1.3 * light); // a soft shoulder for fire
#endif
  outColor = vec4(light, 1.0 - through);
}`;

export class Smoke {
  constructor() {
    this.material = new THREE.ShaderMaterial({
      glslVersion: THREE.GLSL3, defines: {}, vertexShader: vertex, fragmentShader: fragment,
      uniforms: { map: { value: null }, eye: { value: new THREE.Vector3() }, extent: { value: new THREE.Vector3() }, top: { value: 1 }, sigma: { value: 12 }, steps: { value: 72 }, hottest: { value: 0 }, fuse: { value: 6 }, solids: { value: null }, pixels: { value: new THREE.Vector2(1, 1) }, range: { value: new THREE.Vector2(0.1, 100) }, way: { value: Array.from({ length: 24 }, () => new THREE.Vector4()) }, ways: { value: 0 } },
      side: THREE.BackSide, transparent: true, depthWrite: false, depthTest: false,
      blending: THREE.CustomBlending, blendSrc: THREE.OneFactor, blendDst: THREE.OneMinusSrcAlphaFactor,
    });
    const box = new THREE.BoxGeometry(1, 1, 1);
    box.translate(0.5, 0.5, 0.5);
    this.mesh = new THREE.Mesh(box, this.material);
    this.mesh.visible = false;
    this.mesh.frustumCulled = false;
    this.mesh.renderOrder = 10;
    this.mesh.onBeforeRender = (r, s, camera) => {
      this.mesh.updateMatrixWorld();
      this.material.uniforms.eye.value.copy(camera.getWorldPosition(new THREE.Vector3())).applyMatrix4(this.mesh.matrixWorld.clone().invert());
    };
  }

  // A guide whose reach is to be seen in the smoke; null for none.
  reach(guide) { this.guide = guide; this.place(); }

  place() {
    const u = this.material.uniforms, g = this.guide;
    u.ways.value = 0;
    if (!g || !g.line || g.line.length < 2 || !this.low) { this.with({ REACH: 0 }); return; }
    const n = Math.min(24, g.line.length);
    for (let i = 0; i < n; i++) {
      const at = Math.round(i * (g.line.length - 1) / (n - 1));
      u.way.value[i].set(...g.line[at].map((x, a) => x + g.position[a] - this.low[a]), g.radius * along(g.along, at / (g.line.length - 1)));
    }
    u.ways.value = n;
    this.with({ REACH: 1 });
  }

  // The shader is built anew with what it needs: branches cost even where they
  // aren't taken.
  with(defines) {
    const m = this.material;
    for (const [k, v] of Object.entries(defines)) {
      if ((k in m.defines) === !!v) continue;
      if (v) m.defines[k] = 1; else delete m.defines[k];
      m.needsUpdate = true;
    }
  }

  show(v) {
    if (!v) { this.mesh.visible = false; return; }
    const [nx, ny, nz] = v.head.dims;
    let tex = this.material.uniforms.map.value;
    const format = v.head.fire ? THREE.RGBAFormat : THREE.RGFormat;
    if (!tex || tex.format !== format || tex.image.width !== nx || tex.image.height !== ny || tex.image.depth !== nz) {
      if (tex) tex.dispose();
      tex = new THREE.Data3DTexture(v.data, nx, ny, nz);
      tex.format = format;
      tex.type = THREE.UnsignedByteType;
      tex.minFilter = tex.magFilter = THREE.LinearFilter;
      tex.unpackAlignment = 1;
      this.material.uniforms.map.value = tex;
    } else {
      tex.image.data = v.data;
    }
    tex.needsUpdate = true;
    const min = new THREE.Vector3(...v.head.min), max = new THREE.Vector3(...v.head.max);
    this.low = v.head.min;
    this.mesh.position.copy(min);
    this.mesh.scale.copy(max).sub(min);
    this.material.uniforms.extent.value.copy(this.mesh.scale);
    this.material.uniforms.top.value = v.head.top;
    this.material.uniforms.sigma.value = v.head.sigma;
    this.material.uniforms.steps.value = Math.min(200, 1.4 * Math.max(nx, ny, nz));
    this.material.uniforms.hottest.value = v.head.fire ? v.head.hottest : 0;
    this.with({ FIRE: v.head.fire ? 1 : 0 });
    this.material.uniforms.fuse.value = 12 / Math.max(...this.mesh.scale.toArray());
    this.place();
    this.mesh.visible = v.head.top > 0 || !!v.head.fire;
  }
}

// along is a profile's factor at a share of a curve's length.
function along(list, s) {
  if (!list || !list.length) return 1;
  const x = s * (list.length - 1), i = Math.min(Math.floor(x), Math.max(0, list.length - 2));
  return list.length === 1 ? list[0] : list[i] + (list[i + 1] - list[i]) * (x - i);
}

// Frames fetches volumes and keeps the latest few hundred.
export class Frames {
  constructor(slug, size) { this.slug = slug; this.size = size; this.as = ''; this.kept = new Map(); this.asked = new Map(); }

  key(take, frame) { return take.key + '/' + frame + '/' + this.as; }

  get(take, frame) { return this.kept.get(this.key(take, frame)); }

  fetch(take, frame) {
    const key = this.key(take, frame);
    if (this.kept.has(key)) return Promise.resolve(this.kept.get(key));
    if (this.asked.has(key)) return this.asked.get(key);
    const p = this.load(take, frame).then((v) => {
      this.asked.delete(key);
      this.kept.set(key, v);
      if (this.kept.size > 400) this.kept.delete(this.kept.keys().next().value);
      return v;
    }, (err) => { this.asked.delete(key); throw err; });
    this.asked.set(key, p);
    return p;
  }

  async load(take, frame) {
    const r = await fetch(`/shots/${this.slug}/volume/${take.number}/${frame}?size=${this.size}&as=${this.as}&key=${take.key}`);
    if (!r.ok) throw new Error(await r.text());
    return { head: JSON.parse(r.headers.get('X-Zarf-Volume')), data: new Uint8Array(await r.arrayBuffer()) };
  }
}
