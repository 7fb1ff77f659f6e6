// The viewport's picture: what is solid, smoke and liquid in the light that the look
// says, put together and developed as a rendered picture is; and the lines of the stage
// under what stands before them.
import * as THREE from 'three';

// Layers of the scene: lines and marks, what is solid, what is seen through.
export const LINES = 0, SOLID = 1, GLASS = 2, WET = 3;

const sky = `
uniform vec3 sunDir, sunLight, zenith, horizon, below, open, groundTint;
uniform bool ground;
vec3 skyAt(vec3 d) {
  if (d.y < 0.0) return ground ? groundTint * (open + sunLight * max(sunDir.y, 0.0) / 3.14159265) : below;
  float t = pow(1.0 - d.y, 3.0);
  return mix(zenith, horizon, t);
}`;

// A liquid's skin, or glass: what it mirrors, and what of the light behind it comes through.
const skin = `
precision highp float;
in vec3 vNormal, vAt;
#ifdef TONES
in vec3 vTone;
#endif
uniform vec3 eye, ahead, colour, absorb;
uniform float index, rough, glow, thick;
uniform sampler2D back;
uniform vec2 pixels, range;
${sky}
layout(location = 0) out vec4 outMirror;
#ifndef MATTER
layout(location = 1) out vec4 outThrough;
#endif
float metres(float z) { return range.x * range.y / (range.y - z * (range.y - range.x)); }
void main() {
  vec3 d = normalize(vAt - eye), n = normalize(vNormal);
  if (dot(n, d) > 0.0) n = -n;
  float c = -dot(n, d), r0 = pow((index - 1.0) / (index + 1.0), 2.0);
  float f = r0 + (1.0 - r0) * pow(1.0 - c, 5.0); // Schlick 1994
  vec3 h = normalize(sunDir - d);
  float e = 2.0 / max(rough * rough, 1e-3), glint = (e + 2.0) / 8.0 * pow(max(dot(n, h), 0.0), e) * max(dot(n, sunDir), 0.0) / 3.14159265;
  vec3 mirror = f * (skyAt(reflect(d, n)) + sunLight * glint);
#ifdef MATTER
  vec3 e0 = sunLight * max(dot(n, sunDir), 0.0) / 3.14159265 + mix(below, open, 0.5 + 0.5 * n.y);
#ifdef TONES
  outMirror = vec4(vTone * e0, 1.0);
#else
  outMirror = vec4(mirror + colour * ((1.0 - f) * e0 + glow), 1.0);
#endif
#else
  float way = thick;
  if (way < 0.0) { // to where the liquid ends behind
    float z = texture(back, gl_FragCoord.xy / pixels).r;
    way = z < 1.0 ? max(metres(z) - metres(gl_FragCoord.z), 0.0) / dot(d, ahead) : 0.0;
  }
  outMirror = vec4(mirror, length(vAt - eye)); // and how far off it is
  outThrough = vec4((1.0 - f) * exp(-absorb * way), 1.0);
#endif
}`;

const skinVertex = `
out vec3 vNormal, vAt;
#ifdef TONES
in vec3 tone;
out vec3 vTone;
#endif
void main() {
#ifdef TONES
  vTone = tone * tone;
#endif
  vec4 p = modelMatrix * vec4(position, 1.0);
  vAt = p.xyz;
  vNormal = mat3(modelMatrix) * normal;
  gl_Position = projectionMatrix * viewMatrix * p;
}`;

// One part of the march's code for each volume, as samplers can't be chosen by number.
const each = (n, code) => Array.from({ length: n }, (_, i) => code.replace(/(\w)#/g, `$1${i}`)).join('\n');

const fragment = (n) => `
precision highp float;
precision highp sampler3D;
layout(location = 0) out vec4 outColor;
uniform mat4 toWorld;        // from the cube of the picture
uniform vec3 eye, ahead;
uniform vec2 pixels, range;
uniform sampler2D solids, solidDepth, lines, blue;
#ifdef GLASS
uniform sampler2D glass0, glass1;
#endif
#ifdef WATER
uniform sampler2D water0, water1;
#endif
uniform vec3 extinction, albedo, lobes, background;
uniform float meanExtinction, fewest;
uniform bool backdrop;
uniform vec3 gain;
uniform float saturation, gamma, lift, softness;
uniform int plain, tones;
${sky}
${each(n, 'uniform sampler3D cells#; uniform vec3 low#, span#; uniform float top#, most#, step#, planes#, deep#, bright#, tinted#;')}
// reads one of the planes that lie behind each other in a texture, of so many voxels each
vec3 read(sampler3D cells, vec3 q, float plane, float planes, float deep) {
  return texture(cells, vec3(q.xy, (plane + clamp(q.z, 0.5 / deep, 1.0 - 0.5 / deep)) / planes)).rgb;
}
#ifdef REACH
uniform vec4 way[24];     // a chosen guide: its curve, and its reach there
uniform int ways;
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
float hg(float g, float c) { float d = 1.0 + g * g - 2.0 * g * c; return (1.0 - g * g) / (12.5663706 * d * sqrt(d)); }
float metres(float z) { return range.x * range.y / (range.y - z * (range.y - range.x)); }
vec2 box(vec3 low, vec3 span, vec3 inv) {
  vec3 a = (low - eye) * inv, b = (low + span - eye) * inv, lo = min(a, b), hi = max(a, b);
  return vec2(max(max(lo.x, lo.y), max(lo.z, 0.0)), min(hi.x, min(hi.y, hi.z)));
}
// what smoke leaves of the sun at a place
vec3 sunAt(vec3 p) {
  vec3 left = vec3(1.0);
  vec3 d = sunDir + step(abs(sunDir), vec3(1e-5)) * 1e-5;
  ${each(n, `{
    vec3 a = (low# - p) / d, b = (low# + span# - p) / d, lo = min(a, b), hi = max(a, b);
    float t = max(max(lo.x, lo.y), max(lo.z, 0.0));
    if (t < min(hi.x, min(hi.y, hi.z))) left *= pow(vec3(read(cells#, (p + d * t - low#) / span#, 0.0, planes#, deep#).g), extinction / meanExtinction);
  }`)}
  return left;
}
#ifdef SHADE
uniform highp sampler2DShadow shade; // the sun's distances to what is solid
uniform mat4 toShade;
float openAt(vec3 p) {
  vec4 q = toShade * vec4(p, 1.0);
  q.xyz /= q.w;
  if (any(lessThan(q.xy, vec2(0.0))) || any(greaterThan(q.xy, vec2(1.0)))) return 1.0;
  return texture(shade, vec3(q.xy, min(q.z, 1.0) - 0.002)); // what lies beyond all solids is behind them
}
#else
float openAt(vec3 p) { return 1.0; }
#endif
// what is behind everything
vec3 behind(vec3 d) {
  if (!backdrop) return vec3(0.0);
  if (ground && d.y < 0.0 && eye.y > 0.0) {
    vec3 p = eye - d * (eye.y / d.y);
    return groundTint * (open + sunLight * sunAt(p) * openAt(p) * max(sunDir.y, 0.0) / 3.14159265);
  }
  return skyAt(d);
}
float encode(float v) { return v <= 0.0031308 ? 12.92 * v : 1.055 * pow(v, 1.0 / 2.4) - 0.055; }
float decode(float v) { return v <= 0.04045 ? v / 12.92 : pow((v + 0.055) / 1.055, 2.4); }
float bend(float v) { return v <= 0.8 ? v : 1.0 - 0.2 * exp(-(v - 0.8) / 0.2); }
float flat1(float u) {
  float k = min(floor(clamp(u, 0.0, 1.0) * float(tones)), float(tones - 1)), f = clamp(u, 0.0, 1.0) * float(tones) - k;
  if (k < float(tones - 1) && softness > 0.0 && f > 1.0 - softness) k += smoothstep(0.0, 1.0, (f - 1.0 + softness) / softness);
  return k / float(max(tones - 1, 1));
}
// takes premultiplied light to the screen, as film does
vec4 develop(vec4 p) {
  if (tones > 0) {
    float l = dot(p.rgb * gain, vec3(0.2126, 0.7152, 0.0722)) / (p.a == 0.0 ? 1.0 : max(p.a, 1e-4));
    if (l > 0.0) { float v = min(decode(flat1(encode(l / (1.0 + l)) * 1.0001)), 0.98); p.rgb *= v / (1.0 - v) / l; }
  }
  vec3 c = max(p.rgb, 0.0) * gain;
  float a = clamp(max(p.a, max(c.r, max(c.g, c.b))), 0.0, 1.0);
  c = a > 0.0 ? c / a : vec3(0.0);
  float l = dot(c, vec3(0.2126, 0.7152, 0.0722));
  c = max(vec3(0.0), l + (c - l) * saturation);
  if (plain == 0) {
    float most = max(c.r, max(c.g, c.b));
    if (most > 0.8) c += 0.85 * (1.0 - exp(-(most - 0.8) / 6.0)) * 0.6 * (most - c);
    c = vec3(bend(c.r), bend(c.g), bend(c.b));
  }
  c = clamp(vec3(encode(c.r), encode(c.g), encode(c.b)), 0.0, 1.0);
  if (gamma != 1.0) c = pow(c, vec3(1.0 / gamma));
  return vec4(clamp(c * (1.0 - lift) + lift, 0.0, 1.0), a);
}
void main() {
  vec2 uv = gl_FragCoord.xy / pixels;
  vec4 far = toWorld * vec4(uv * 2.0 - 1.0, 1.0, 1.0);
  vec3 d = normalize(far.xyz / far.w - eye);
  float slant = 1.0 / dot(d, ahead); // metres along the ray for one ahead
  float z = texture(solidDepth, uv).r, end = z < 1.0 ? metres(z) * slant : 1e9;
  float through1 = 1.0;
  vec3 through = vec3(1.0), light = vec3(0.0);
  // of what is seen through, the nearer first: how far off, what it mirrors, what it lets by
  vec2 clear = vec2(1e9);
  vec3 mirrors[2], passes[2];
#ifdef GLASS
  { vec4 m = texture(glass0, uv); if (m.a > 0.0 && m.a < end) { clear.x = m.a; mirrors[0] = m.rgb; passes[0] = texture(glass1, uv).rgb; } }
#endif
#ifdef WATER
  { vec4 m = texture(water0, uv);
    if (m.a > 0.0 && m.a < end) {
      vec3 by = texture(water1, uv).rgb;
      if (m.a < clear.x) { clear.y = clear.x; mirrors[1] = mirrors[0]; passes[1] = passes[0]; clear.x = m.a; mirrors[0] = m.rgb; passes[0] = by; } else { clear.y = m.a; mirrors[1] = m.rgb; passes[1] = by; }
    } }
#endif
#ifdef SMOKE
  vec3 dd = d + step(abs(d), vec3(1e-6)) * 1e-6, inv = 1.0 / dd;
  float cosine = dot(d, sunDir);
  float phase = mix(hg(lobes.x, cosine), hg(lobes.y, cosine), lobes.z);
  float t = 1e9, last = 0.0;
  ${each(n, 'vec2 in# = box(low#, span#, inv); in#.y = min(in#.y, end); if (in#.x < in#.y) { t = min(t, in#.x); last = max(last, in#.y); }')}
  float jitter = texelFetch(blue, ivec2(gl_FragCoord.xy) & 63, 0).r;
  for (int i = 0; i < 400; i++) {
    if (t >= last || through1 < 0.005) break;
    float dt = 1e9, next = last;
    // a step ends where a volume begins or ends
    ${each(n, 'if (in#.x < in#.y) { if (t < in#.x) next = min(next, in#.x); else if (t < in#.y) { dt = min(dt, step# * fewest); next = min(next, in#.y); } }')}
    if (dt > 1e8) { t = next; continue; }
    dt = max(min(dt, next - t), 1e-5);
    if (clear.x <= t + dt * jitter) { light += through * mirrors[0]; through *= passes[0]; clear = vec2(clear.y, 1e9); mirrors[0] = mirrors[1]; passes[0] = passes[1]; through1 = max(through.r, max(through.g, through.b)); }
    float at = t + dt * jitter;
    vec3 p = eye + dd * at;
    float dens = 0.0;
    vec3 scattered = vec3(0.0), shine = vec3(0.0);
    ${each(n, `if (at >= in#.x && at <= in#.y) {
      vec3 q = (p - low#) / span#;
      vec2 s = read(cells#, q, 0.0, planes#, deep#).rg;
      float rho = s.r * s.r * top#;
      if (rho > 1e-5) {
        vec3 r = read(cells#, q, 1.0, planes#, deep#);
#ifdef COLOUR
        vec3 sun = pow(vec3(s.g), extinction / meanExtinction);
#else
        float sun = s.g;
#endif
        vec3 hue = albedo;
#ifdef TINT
        if (tinted# > 0.0) hue *= read(cells#, q, planes# - 1.0, planes#, deep#);
#endif
        scattered += rho * (r * r * most# + hue * sunLight * sun * phase);
        dens += rho;
      }
#ifdef FIRE
      if (bright# > 0.0) { vec3 g = read(cells#, q, 2.0, planes#, deep#); shine += g * g * g * bright#; }
#endif
    }`)}
    if (dens > 0.0) {
#ifdef COLOUR
      vec3 pass = exp(-dens * extinction * dt);
#else
      float pass = exp(-dens * extinction.x * dt);
#endif
      vec3 s = scattered / dens;
#ifdef REACH
      s *= mix(vec3(1.0), vec3(0.48, 0.96, 0.86), smoothstep(0.0, 0.25, within(p)));
#endif
      light += through * (1.0 - pass) * s;
#ifdef FIRE
      light += through * shine * dt;
#endif
      through *= pass;
      through1 = max(through.r, max(through.g, through.b));
    }
#ifdef FIRE
    else light += through * shine * dt;
#endif
    t += dt;
  }
#endif
  if (clear.x < 1e9) { light += through * mirrors[0]; through *= passes[0]; }
  if (clear.y < 1e9) { light += through * mirrors[1]; through *= passes[1]; }
  vec4 solid = texture(solids, uv);
  vec3 still = through;
  light += through * solid.rgb;
  through *= 1.0 - solid.a;
  light += through * behind(d);
  if (backdrop) through = vec3(0.0);
  vec4 c = develop(vec4(light, 1.0 - (through.r + through.g + through.b) / 3.0));
  vec3 shown = c.rgb * c.a + background * (1.0 - c.a);
  // lines stand where they do: smoke before them dims them
  vec4 l = texture(lines, uv);
  if (l.a > 0.0) {
    vec3 own = l.rgb / l.a;
    float left = (still.r + still.g + still.b) / 3.0;
    shown = mix(shown, vec3(encode(own.r), encode(own.g), encode(own.b)), l.a * left);
  }
  outColor = vec4(shown, 1.0);
}`;

// The light before any frame told of a look's: a clear day's.
export const daylight = {
  sun: [2.6, 2.5, 2.35], sunDir: [0.45, 0.79, 0.41], zenith: [0.25, 0.32, 0.45], horizon: [0.42, 0.42, 0.42], below: [0.07, 0.08, 0.11], open: [0.3, 0.35, 0.45], around: [0.2, 0.24, 0.3],
  ground: false, groundTint: [0.2, 0.2, 0.2], backdrop: false, extinction: [1, 1, 1], albedo: [0.9, 0.9, 0.9], lobes: [0, 0, 0], flame: 1,
  liquid: { opaque: false, index: 1.33, colour: [0.7, 0.9, 0.9], absorb: [0.3, 0.1, 0.1], rough: 0.05, glow: 0 },
  film: { gain: [1, 1, 1], saturation: 1, plain: false, gamma: 1, lift: 0, steps: 0, soft: 0 },
};

export class Picture {
  constructor(renderer) {
    // where the processor draws, edges stay rough and steps are longer
    const info = renderer.getContext().getExtension('WEBGL_debug_renderer_info');
    this.slow = !!info && /swiftshader|llvmpipe|software/i.test(renderer.getContext().getParameter(info.UNMASKED_RENDERER_WEBGL));
    this.shared = {}; // uniforms of the light, for whoever is in it
    for (const k of ['sunDir', 'sunLight', 'zenith', 'horizon', 'below', 'open', 'groundTint']) this.shared[k] = { value: new THREE.Vector3() };
    this.shared.ground = { value: false };
    this.shared.eye = { value: new THREE.Vector3() };
    this.shared.ahead = { value: new THREE.Vector3(0, 0, -1) };
    this.shared.pixels = { value: new THREE.Vector2(1, 1) };
    this.shared.range = { value: new THREE.Vector2(0.1, 100) };
    const v3 = () => ({ value: new THREE.Vector3() }), one = (x) => ({ value: x });
    /** @type {Object<string, THREE.IUniform>} */
    this.uniforms = {
      ...this.shared, toWorld: { value: new THREE.Matrix4() }, solids: one(null), solidDepth: one(null), lines: one(null), blue: one(null), glass0: one(null), glass1: one(null), water0: one(null), water1: one(null),
      extinction: v3(), albedo: v3(), lobes: v3(), background: v3(), meanExtinction: one(1), fewest: one(1), backdrop: one(false), gain: v3(), saturation: one(1), gamma: one(1), lift: one(0), softness: one(0), plain: one(0), tones: one(0),
      shade: one(null), toShade: { value: new THREE.Matrix4() },
      way: { value: Array.from({ length: 24 }, () => new THREE.Vector4()) }, ways: one(0),
    };
    this.material = new THREE.ShaderMaterial({ glslVersion: THREE.GLSL3, defines: {}, uniforms: this.uniforms, vertexShader: 'void main() { gl_Position = vec4(position.xy, 0.0, 1.0); }', fragmentShader: fragment(0), depthTest: false, depthWrite: false });
    const tri = new THREE.BufferGeometry();
    tri.setAttribute('position', new THREE.BufferAttribute(new Float32Array([-1, -1, 0, 3, -1, 0, -1, 3, 0]), 3));
    this.screen = new THREE.Scene();
    const mesh = new THREE.Mesh(tri, this.material);
    mesh.frustumCulled = false;
    this.screen.add(mesh);
    this.still = new THREE.Camera();
    this.parts = [];
    this.clear = { glass: false, water: false }; // what there is to be seen through
    this.kept = []; // textures of parts
    /** @type {THREE.DirectionalLight | null} */
    this.sun = null; // whose shadows of solids fall on the ground
    this.wanted = false; // the sky and the ground behind everything
    const noise = new THREE.DataTexture(new Uint8Array([128]), 1, 1, THREE.RedFormat);
    noise.needsUpdate = true;
    this.uniforms.blue.value = noise;
    this.light(daylight);
  }

  // Thresholds by which steps begin, once; until they are there steps begin together.
  async dither(come) {
    if (this.asked) return;
    this.asked = true;
    try {
      const r = await fetch('/dither');
      if (!r.ok) return;
      const noise = new THREE.DataTexture(new Uint8Array(await r.arrayBuffer()), 64, 64, THREE.RedFormat);
      noise.unpackAlignment = 1;
      noise.needsUpdate = true;
      this.uniforms.blue.value = noise;
      come();
    } catch { /* it is drawn without */ }
  }

  // A material for a liquid's skin or for glass; thick is how much liquid light goes through
  // in metres, below nought as the skin's own sides say.
  // A surface of a liquid, or with tones of cloth: colours of vertices, which mirror nothing.
  skin(opaque, thick, tones) {
    const one = (x) => ({ value: x });
    return new THREE.ShaderMaterial({
      glslVersion: THREE.GLSL3, defines: { ...(opaque ? { MATTER: 1 } : {}), ...(tones ? { TONES: 1 } : {}) }, vertexShader: skinVertex, fragmentShader: skin, side: THREE.DoubleSide,
      uniforms: { ...this.shared, colour: one(new THREE.Vector3(1, 1, 1)), absorb: one(new THREE.Vector3()), index: one(1.5), rough: one(0.03), glow: one(0), thick: one(thick), back: one(null) },
    });
  }

  light(l) {
    this.day = l;
    const u = this.uniforms, set = (k, v) => u[k].value.fromArray(v);
    set('sunDir', l.sunDir); set('sunLight', l.sun); set('zenith', l.zenith); set('horizon', l.horizon); set('below', l.below); set('open', l.open); set('groundTint', l.groundTint);
    this.shared.ground.value = l.ground;
    set('extinction', l.extinction); set('albedo', l.albedo); set('lobes', l.lobes);
    u.meanExtinction.value = Math.max(1e-9, (l.extinction[0] + l.extinction[1] + l.extinction[2]) / 3);
    const f = l.film;
    set('gain', f.gain);
    u.saturation.value = f.saturation; u.gamma.value = f.gamma > 0 ? f.gamma : 1; u.lift.value = f.lift; u.softness.value = f.soft; u.plain.value = f.plain ? 1 : 0; u.tones.value = f.steps > 0 ? Math.max(2, f.steps) : 0;
  }

  // The smoke of a frame.
  smoke(v) {
    this.parts = v ? v.head.parts.filter((p) => !p.liquid && (p.top > 0 || p.glow > 0)).slice(0, 6) : [];
    const u = this.uniforms;
    this.parts.forEach((p, i) => {
      const set = (name, x) => { if (u[name + i]) u[name + i].value = x; else u[name + i] = { value: x }; };
      const planes = 2 + (p.fire ? 1 : 0) + (p.tinted ? 1 : 0), [nx, ny, nz] = p.dims;
      set('cells', this.texture(i, v.data.subarray(p.at, p.at + 3 * nx * ny * nz * planes), [nx, ny, nz * planes]));
      const low = new THREE.Vector3().fromArray(p.min), span = new THREE.Vector3().fromArray(p.max).sub(low);
      set('low', low); set('span', span); set('planes', planes); set('deep', nz);
      set('top', p.top); set('most', p.rest || 0); set('bright', p.glow || 0); set('tinted', p.tinted ? 1 : 0);
      set('step', 0.7 * span.x / nx);
    });
    // a look of the longest way through everything takes no more than that many steps
    let steps = 0;
    for (const p of this.parts) steps += 1.75 * Math.max(...p.dims);
    u.fewest.value = Math.max(1, steps / 330) * (this.slow ? 2 : 1);
    this.define();
  }

  texture(i, data, dims) {
    let tex = this.kept[i];
    if (!tex || tex.image.width !== dims[0] || tex.image.height !== dims[1] || tex.image.depth !== dims[2]) {
      if (tex) tex.dispose();
      tex = this.kept[i] = new THREE.Data3DTexture(data, dims[0], dims[1], dims[2]);
      tex.format = THREE.RGBFormat;
      tex.internalFormat = 'RGB8';
      tex.type = THREE.UnsignedByteType;
      tex.minFilter = tex.magFilter = THREE.LinearFilter;
      tex.unpackAlignment = 1;
    } else {
      tex.image.data = data;
    }
    tex.needsUpdate = true;
    return tex;
  }

  // A guide whose reach is to be seen in the smoke; null for none.
  reach(g) {
    const u = this.uniforms;
    u.ways.value = 0;
    if (g && g.line && g.line.length > 1) {
      const n = Math.min(24, g.line.length);
      for (let i = 0; i < n; i++) {
        const at = Math.round(i * (g.line.length - 1) / (n - 1));
        u.way.value[i].fromArray([...g.line[at].map((x, a) => x + g.position[a]), g.radius * along(g.along, at / (g.line.length - 1))]);
      }
      u.ways.value = n;
    }
    this.define();
  }

  // The shader is built anew with what it needs: branches cost even where they
  // aren't taken.
  define() {
    const e = this.day.extinction, n = this.parts.length;
    const want = {
      SMOKE: n > 0, FIRE: this.parts.some((p) => p.glow > 0), TINT: this.parts.some((p) => p.tinted), COLOUR: e[0] !== e[1] || e[1] !== e[2], REACH: n > 0 && this.uniforms.ways.value > 0, SHADE: this.wanted && !!this.shadow, GLASS: this.clear.glass, WATER: this.clear.water,
    };
    const key = n + Object.keys(want).filter((k) => want[k]).join();
    if (key === this.built) return;
    this.built = key;
    const m = this.material;
    m.defines = {};
    for (const k of Object.keys(want)) if (want[k]) m.defines[k] = 1;
    m.fragmentShader = fragment(n);
    m.needsUpdate = true;
  }

  // Targets of the canvas' size.
  sized(renderer) {
    const size = renderer.getDrawingBufferSize(new THREE.Vector2());
    if (this.targets && this.shared.pixels.value.equals(size)) return;
    this.shared.pixels.value.copy(size);
    for (const t of Object.values(this.targets || {})) { t.depthTexture.dispose(); t.dispose(); }
    const samples = this.slow ? 0 : 4;
    const make = (more) => new THREE.WebGLRenderTarget(size.x, size.y, { minFilter: THREE.NearestFilter, magFilter: THREE.NearestFilter, depthTexture: new THREE.DepthTexture(size.x, size.y, THREE.UnsignedIntType), ...more });
    this.targets = {
      solid: make({ type: THREE.HalfFloatType, samples }), lines: make({ samples }),
      glass: make({ type: THREE.HalfFloatType, count: 2 }), water: make({ type: THREE.HalfFloatType, count: 2 }), back: make({}),
    };
    const u = this.uniforms;
    u.solids.value = this.targets.solid.texture;
    u.solidDepth.value = this.targets.solid.depthTexture;
    u.lines.value = this.targets.lines.texture;
    [u.glass0.value, u.glass1.value] = this.targets.glass.textures;
    [u.water0.value, u.water1.value] = this.targets.water.textures;
  }

  // Draws a scene; clear says whether glass and liquid are seen through.
  draw(renderer, scene, camera, background, clear) {
    this.sized(renderer);
    const u = this.uniforms, t = this.targets;
    if (this.clear.glass !== clear.glass || this.clear.water !== clear.water) { this.clear = clear; this.define(); }
    camera.updateMatrixWorld();
    u.eye.value.setFromMatrixPosition(camera.matrixWorld);
    camera.getWorldDirection(u.ahead.value);
    u.range.value.set(camera.near, camera.far);
    u.toWorld.value.copy(camera.matrixWorld).multiply(camera.projectionMatrixInverse);
    u.background.value.fromArray(background);
    u.backdrop.value = this.wanted;
    const into = (target, layer) => {
      camera.layers.set(layer);
      renderer.setRenderTarget(target);
      renderer.setClearColor(0, 0);
      renderer.clear();
      renderer.render(scene, camera);
    };
    into(t.solid, SOLID);
    const map = this.sun && this.sun.castShadow && this.sun.shadow.map;
    if (!!map !== !!this.shadow || this.wanted !== this.shaded) { this.shadow = map; this.shaded = this.wanted; this.define(); }
    u.shade.value = map ? map.depthTexture : null;
    if (map) u.toShade.value.copy(this.sun.shadow.matrix);
    if (clear.glass) into(t.glass, GLASS);
    if (clear.water) {
      scene.overrideMaterial = this.rear = this.rear || new THREE.MeshBasicMaterial({ side: THREE.BackSide, colorWrite: false });
      into(t.back, WET);
      scene.overrideMaterial = null;
      into(t.water, WET);
    }
    into(t.lines, LINES);
    camera.layers.set(0);
    renderer.setRenderTarget(null);
    renderer.render(this.screen, this.still);
  }
}

// along is a profile's factor at a share of a curve's length.
function along(list, s) {
  if (!list || !list.length) return 1;
  const x = s * (list.length - 1), i = Math.min(Math.floor(x), Math.max(0, list.length - 2));
  return list.length === 1 ? list[0] : list[i] + (list[i + 1] - list[i]) * (x - i);
}
