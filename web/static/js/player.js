// A stand-in for the program that will play a flipbook: the atlas on a card, or
// on a burst of particles. Light is added up linearly; what the file says of
// its colours, or the opposite, can be believed.
const VERTEX = `#version 300 es
in vec2 corner; in vec4 place; in vec4 tint; in float tile;
uniform vec2 view;
out vec2 uv; out vec4 shade; out float at;
void main() {
  uv = corner * 0.5 + 0.5;
  uv.y = 1.0 - uv.y;
  shade = tint; at = tile;
  gl_Position = vec4((place.xy + corner * place.zw) / view, 0.0, 1.0);
}`;
const FRAGMENT = `#version 300 es
precision highp float;
in vec2 uv; in vec4 shade; in float at;
uniform sampler2D colour, motion;
uniform vec2 grid, texel;
uniform float count, largest, up, loops, decode, straight;
uniform int blend;
out vec4 seen;
vec3 light(vec3 c) { return mix(c / 12.92, pow((c + 0.055) / 1.055, vec3(2.4)), step(0.04045, c)); }
vec2 inTile(float n, vec2 p) { return (vec2(mod(n, grid.x), floor(n / grid.x)) + clamp(p, texel, 1.0 - texel)) / grid; }
vec4 look(float n, vec2 p) {
  vec4 c = texture(colour, inTile(n, p));
  if (decode > 0.5) c.rgb = light(c.rgb);
  if (straight > 0.5) c.rgb *= c.a;
  return c;
}
vec2 moves(float n, vec2 p) {
  vec2 v = (texture(motion, inTile(n, p)).xy * 255.0 - 128.0) / 127.0 * largest;
  return vec2(v.x, v.y * up);
}
void main() {
  float a = floor(at), t = at - a, b = a + 1.0;
  if (b >= count) b = loops > 0.5 ? 0.0 : a;
  vec4 c;
  if (blend == 0) c = look(a, uv);
  else if (blend == 1) c = mix(look(a, uv), look(b, uv), t);
  else {
    vec2 v = moves(a, uv) * vec2(1.0, texel.y / texel.x);
    c = mix(look(a, uv - t * v), look(b, uv + (1.0 - t) * v), t);
  }
  seen = vec4(c.rgb * shade.rgb, c.a) * shade.a;
}`;
const SHOW = `#version 300 es
precision highp float;
uniform sampler2D linear; in vec2 uv; out vec4 c;
void main() { vec3 l = texture(linear, uv).rgb; c = vec4(mix(l * 12.92, 1.055 * pow(l, vec3(1.0 / 2.4)) - 0.055, step(0.0031308, l)), 1.0); }`;
const WHOLE = `#version 300 es
in vec2 corner; out vec2 uv; void main() { uv = corner * 0.5 + 0.5; gl_Position = vec4(corner, 0.0, 1.0); }`;
const FLOATS = 11, PARTICLES = 40;

// A number from 0 to 1 that is the same for the same n.
const chance = (n) => { const x = Math.sin(n * 127.1 + 311.7) * 43758.5453; return x - Math.floor(x); };
const rgb = (hex) => [1, 3, 5].map((i) => { const c = parseInt(hex.slice(i, i + 2), 16) / 255; return c <= 0.04045 ? c / 12.92 : ((c + 0.055) / 1.055) ** 2.4; });

class FlipPlayer extends HTMLElement {
  connectedCallback() {
    const d = this.dataset, sheets = d.sheets.trim().split(/\s+/);
    this.spec = { columns: +d.columns, rows: +d.rows, tiles: +d.tiles, wide: +d.wide, tall: +d.tall, rate: +d.rate, loops: d.loop !== 'none', largest: +d.largest || 0, up: (d.up || '').includes('upwards') ? -1 : 1, srgb: d.space.startsWith('sRGB'), straight: d.alpha === 'straight' };
    const main = sheets.includes('colour') ? 'colour' : sheets[0];
    const moves = sheets.includes('motion') && main !== 'motion';
    const opt = (list) => list.map(([v, l]) => `<option value="${v}">${l}</option>`).join('');
    this.innerHTML = `<div class="flipview"><canvas aria-label="The flipbook as it plays"></canvas></div><div class="flipset">
      <div class="line"><button class="btn btn-tool" name="go">Pause</button><output class="mono" name="clock"></output></div>
      <label class="line"><span>tile</span><input type="range" name="at" min="0" max="${this.spec.tiles - 1}" step="0.05" value="0"></label>
      <label class="line"><span>on</span><select class="pick" name="mode">${opt([['card', 'a card'], ['burst', 'a burst of particles']])}</select></label>
      <label class="line"><span>speed</span><select class="pick" name="speed">${opt([[1, "the shot's"], [0.5, 'half'], [0.25, 'a quarter'], [0.1, 'a tenth'], [2, 'twice']])}</select></label>
      <label class="line"><span>between</span><select class="pick" name="blend">${opt([[0, 'tiles jump'], [1, 'cross-fade'], ...(moves ? [[2, 'motion vectors']] : [])])}</select></label>
      <label class="line"><span>sheet</span><select class="pick" name="sheet">${opt(sheets.map((s) => [s, s.replace('_', ' ')]))}</select></label>
      <label class="line"><span>colours</span><select class="pick" name="gamma">${opt([['as', `as the file says: ${this.spec.srgb ? 'sRGB' : 'linear'}`], ['other', `wrongly as ${this.spec.srgb ? 'linear' : 'sRGB'}`]])}</select></label>
      <label class="line"><span>alpha</span><select class="pick" name="alpha">${opt([['as', `as the file says: ${this.spec.straight ? 'straight' : 'premultiplied'}`], ['other', `wrongly as ${this.spec.straight ? 'premultiplied' : 'straight'}`]])}</select></label>
      <label class="line"><span>before</span><select class="pick" name="back">${opt([['#2b2b2b', 'dark grey'], ['#777777', 'middle grey'], ['#c8c8c8', 'light grey'], ['#000000', 'black']])}</select></label>
      <label class="line"><span>size</span><input type="range" name="size0" min="0.1" max="2" step="0.05" value="1" aria-label="Size at first"><input type="range" name="size1" min="0.1" max="2" step="0.05" value="1" aria-label="Size at last"></label>
      <label class="line"><span>colour</span><input type="color" class="swatch" name="tint0" value="#ffffff" aria-label="Colour at first"><input type="color" class="swatch" name="tint1" value="#ffffff" aria-label="Colour at last"></label>
      <label class="line"><span>fades</span><input type="range" name="fade" min="0" max="1" step="0.05" value="0" aria-label="How much it fades by the end"></label>
      ${this.spec.loops ? '<label class="check"><input type="checkbox" name="seam"> only round the seam</label>' : ''}
      <p class="flipsaid">${d.seam ? `The seam is ${d.seam} times the mean change from tile to tile. ` : 'Plays once. '}${!d.between ? '' : +d.between < 1.1 ? 'This flickers more than it moves: between tiles a cross-fade comes as near to what was recorded as motion vectors.' : `Between tiles, motion vectors come ${d.between} times nearer to what was recorded than a cross-fade.`}</p><p class="flipsaid" role="status" data-said></p></div>`;
    this.at = (n) => this.querySelector(`[name=${n}]`);
    this.said = this.querySelector('[data-said]');
    if (moves) this.at('blend').value = '2';
    this.time = 0;
    this.playing = true;
    this.at('go').onclick = () => { this.playing = !this.playing; this.at('go').textContent = this.playing ? 'Pause' : 'Play'; this.last = 0; this.wake(); };
    this.at('at').oninput = () => { this.playing = false; this.at('go').textContent = 'Play'; this.time = +this.at('at').value / this.spec.rate; this.wake(); };
    this.addEventListener('input', (e) => { if (e.target.name === 'sheet') this.load(e.target.value); this.wake(); });
    this.canvas = this.querySelector('canvas');
    this.gl = this.canvas.getContext('webgl2', { alpha: false, antialias: false, preserveDrawingBuffer: true });
    if (!this.gl) { this.said.textContent = 'This browser has no WebGL 2, which the player needs. The files are as they should be.'; return; }
    this.build();
    new ResizeObserver(() => this.wake()).observe(this.canvas.parentElement);
    this.at('sheet').value = main;
    this.load(main);
    if (moves) this.texture('motion', 1);
  }

  disconnectedCallback() {
    cancelAnimationFrame(this.frame);
    this.playing = false;
    const lose = this.gl && this.gl.getExtension('WEBGL_lose_context');
    if (lose) lose.loseContext();
  }

  build() {
    const gl = this.gl;
    const program = (v, f) => {
      const p = gl.createProgram();
      for (const [kind, text] of [[gl.VERTEX_SHADER, v], [gl.FRAGMENT_SHADER, f]]) {
        const s = gl.createShader(kind);
        gl.shaderSource(s, text);
        gl.compileShader(s);
        if (!gl.getShaderParameter(s, gl.COMPILE_STATUS)) throw new Error(gl.getShaderInfoLog(s));
        gl.attachShader(p, s);
      }
      gl.linkProgram(p);
      return p;
    };
    this.draws = program(VERTEX, FRAGMENT);
    this.shows = program(WHOLE, SHOW);
    this.quad = gl.createBuffer();
    gl.bindBuffer(gl.ARRAY_BUFFER, this.quad);
    gl.bufferData(gl.ARRAY_BUFFER, new Float32Array([-1, -1, 1, -1, -1, 1, 1, 1]), gl.STATIC_DRAW);
    this.many = gl.createBuffer();
    this.target = gl.createTexture();
    this.into = gl.createFramebuffer();
    this.textures = [gl.createTexture(), gl.createTexture()];
    for (const t of this.textures) {
      gl.bindTexture(gl.TEXTURE_2D, t);
      gl.texImage2D(gl.TEXTURE_2D, 0, gl.RGBA, 1, 1, 0, gl.RGBA, gl.UNSIGNED_BYTE, new Uint8Array([128, 128, 0, 0]));
    }
  }

  load(sheet) { this.texture(sheet, 0); }

  async texture(name, slot) {
    const gl = this.gl, most = Math.min(gl.getParameter(gl.MAX_TEXTURE_SIZE), 4096);
    this.loading = (this.loading || 0) + 1;
    try {
      const r = await fetch(`${this.dataset.base}${name}?most=${most}`);
      if (!r.ok) throw new Error(await r.text());
      // values as they stand in the file: neither colour management nor alpha
      const m = await createImageBitmap(await r.blob(), { colorSpaceConversion: 'none', premultiplyAlpha: 'none' });
      gl.activeTexture(gl.TEXTURE0 + slot);
      gl.bindTexture(gl.TEXTURE_2D, this.textures[slot]);
      gl.pixelStorei(gl.UNPACK_PREMULTIPLY_ALPHA_WEBGL, false);
      gl.pixelStorei(gl.UNPACK_COLORSPACE_CONVERSION_WEBGL, gl.NONE);
      gl.texImage2D(gl.TEXTURE_2D, 0, gl.RGBA, gl.RGBA, gl.UNSIGNED_BYTE, m);
      for (const [k, v] of [[gl.TEXTURE_MIN_FILTER, gl.LINEAR], [gl.TEXTURE_MAG_FILTER, gl.LINEAR], [gl.TEXTURE_WRAP_S, gl.CLAMP_TO_EDGE], [gl.TEXTURE_WRAP_T, gl.CLAMP_TO_EDGE]]) gl.texParameteri(gl.TEXTURE_2D, k, v);
      if (slot === 0) this.scale = m.width / (this.spec.columns * this.spec.wide);
      this.said.textContent = this.scale < 1 ? `Shown at ${Math.round(this.scale * 100)} % of its pixels.` : '';
    } catch (err) { this.said.textContent = `The sheet can't be shown: ${err.message}`; }
    this.loading--;
    this.wake();
  }

  // All that is drawn at a time: place, tint and tile of each quad.
  quads(time, w, h) {
    const s = this.spec, v = (n) => +this.at(n).value, life = s.tiles / s.rate, out = [];
    const c0 = rgb(this.at('tint0').value), c1 = rgb(this.at('tint1').value);
    const add = (x, y, size, age) => {
      let tile = age * s.rate;
      if (this.at('seam') && this.at('seam').checked) { const n = Math.min(8, s.tiles); tile = (s.tiles - n / 2 + (tile % n)) % s.tiles; }
      tile = s.loops ? tile % s.tiles : Math.min(tile, s.tiles - 1);
      const k = Math.min(age / life, 1), big = size * (v('size0') * (1 - k) + v('size1') * k);
      const alpha = 1 - v('fade') * k;
      out.push([x, y, big * Math.min(1, s.wide / s.tall), big * Math.min(1, s.tall / s.wide), ...c0.map((c, i) => c * (1 - k) + c1[i] * k), alpha, tile]);
    };
    if (this.at('mode').value === 'card') { add(0, 0, Math.min(w, h) * 0.46, time % (s.loops ? 1e9 : life + 0.5)); return out; }
    const every = life / PARTICLES;
    for (let n = Math.max(0, Math.floor((time - life) / every)); n * every <= time; n++) {
      const age = time - n * every;
      if (age > life) continue;
      const turn = chance(n) * 2 * Math.PI, fast = 0.2 + 0.5 * chance(n + 0.5), k = 1 - Math.exp(-1.5 * age / life);
      add(Math.cos(turn) * fast * k * w * 0.7, Math.sin(turn) * fast * k * h * 0.5 + k * h * 0.15, Math.min(w, h) * 0.22, age);
    }
    return out;
  }

  wake() { if (!this.frame && this.gl) this.frame = requestAnimationFrame((t) => this.tick(t)); }

  tick(now) {
    this.frame = 0;
    if (!this.isConnected) return;
    if (this.offsetParent === null) { this.last = 0; if (this.playing) this.frame = requestAnimationFrame((t) => this.tick(t)); return; }
    if (this.playing) {
      if (this.last) this.time += Math.min((now - this.last) / 1000, 0.2) * +this.at('speed').value;
      this.last = now;
    }
    this.draw();
    if (this.playing) this.frame = requestAnimationFrame((t) => this.tick(t));
  }

  draw() {
    const gl = this.gl, s = this.spec, box = this.canvas.parentElement;
    const w = Math.max(2, box.clientWidth), h = Math.max(2, box.clientHeight);
    if (this.canvas.width !== w || this.canvas.height !== h) {
      this.canvas.width = w;
      this.canvas.height = h;
      gl.activeTexture(gl.TEXTURE2);
      gl.bindTexture(gl.TEXTURE_2D, this.target);
      gl.texImage2D(gl.TEXTURE_2D, 0, gl.SRGB8_ALPHA8, w, h, 0, gl.RGBA, gl.UNSIGNED_BYTE, null); // blends linear light
      gl.texParameteri(gl.TEXTURE_2D, gl.TEXTURE_MIN_FILTER, gl.NEAREST);
      gl.texParameteri(gl.TEXTURE_2D, gl.TEXTURE_MAG_FILTER, gl.NEAREST);
      gl.bindFramebuffer(gl.FRAMEBUFFER, this.into);
      gl.framebufferTexture2D(gl.FRAMEBUFFER, gl.COLOR_ATTACHMENT0, gl.TEXTURE_2D, this.target, 0);
    }
    const list = this.quads(this.time, w, h);
    const data = new Float32Array(list.length * 4 * FLOATS);
    const corners = [[-1, -1], [1, -1], [-1, 1], [1, 1]];
    list.forEach((q, i) => corners.forEach((c, k) => data.set([...c, ...q], (i * 4 + k) * FLOATS)));
    gl.bindFramebuffer(gl.FRAMEBUFFER, this.into);
    gl.viewport(0, 0, w, h);
    const back = rgb(this.at('back').value);
    gl.clearColor(...back, 1);
    gl.clear(gl.COLOR_BUFFER_BIT);
    gl.useProgram(this.draws);
    gl.enable(gl.BLEND);
    gl.blendFunc(gl.ONE, gl.ONE_MINUS_SRC_ALPHA);
    gl.bindBuffer(gl.ARRAY_BUFFER, this.many);
    gl.bufferData(gl.ARRAY_BUFFER, data, gl.DYNAMIC_DRAW);
    const u = (n) => gl.getUniformLocation(this.draws, n), right = this.at('gamma').value === 'as';
    const colours = this.at('sheet').value === 'colour' || this.at('sheet').value === 'emission';
    for (const [name, size, from] of /** @type {[string, number, number][]} */ ([['corner', 2, 0], ['place', 4, 2], ['tint', 4, 6], ['tile', 1, 10]])) {
      const a = gl.getAttribLocation(this.draws, name);
      gl.enableVertexAttribArray(a);
      gl.vertexAttribPointer(a, size, gl.FLOAT, false, 4 * FLOATS, 4 * from);
    }
    gl.activeTexture(gl.TEXTURE0);
    gl.bindTexture(gl.TEXTURE_2D, this.textures[0]);
    gl.activeTexture(gl.TEXTURE1);
    gl.bindTexture(gl.TEXTURE_2D, this.textures[1]);
    gl.uniform1i(u('colour'), 0);
    gl.uniform1i(u('motion'), 1);
    gl.uniform2f(u('view'), w / 2, h / 2);
    gl.uniform2f(u('grid'), s.columns, s.rows);
    gl.uniform2f(u('texel'), 0.5 / s.wide, 0.5 / s.tall);
    gl.uniform1f(u('count'), s.tiles);
    gl.uniform1f(u('largest'), s.largest);
    gl.uniform1f(u('up'), s.up);
    gl.uniform1f(u('loops'), s.loops ? 1 : 0);
    gl.uniform1f(u('decode'), !colours || s.srgb === right ? 1 : 0);
    gl.uniform1f(u('straight'), colours && s.straight === (this.at('alpha').value === 'as') ? 1 : 0);
    gl.uniform1i(u('blend'), +this.at('blend').value);
    for (let i = 0; i < list.length; i++) gl.drawArrays(gl.TRIANGLE_STRIP, i * 4, 4);
    gl.disable(gl.BLEND);
    gl.bindFramebuffer(gl.FRAMEBUFFER, null);
    gl.useProgram(this.shows);
    gl.bindBuffer(gl.ARRAY_BUFFER, this.quad);
    const a = gl.getAttribLocation(this.shows, 'corner');
    gl.enableVertexAttribArray(a);
    gl.vertexAttribPointer(a, 2, gl.FLOAT, false, 0, 0);
    gl.activeTexture(gl.TEXTURE2);
    gl.bindTexture(gl.TEXTURE_2D, this.target);
    gl.uniform1i(gl.getUniformLocation(this.shows, 'linear'), 2);
    gl.drawArrays(gl.TRIANGLE_STRIP, 0, 4);
    const tile = list.length ? list[0][8] : 0;
    this.at('clock').value = `tile ${(tile + 1).toFixed(1)} of ${s.tiles}`;
    if (this.playing && this.at('mode').value === 'card') this.at('at').value = tile;
  }

  // For tests: draws a moment and reads a pixel, shares of the width and height.
  pixel(time, x, y) {
    this.playing = false;
    this.time = time;
    this.draw();
    const gl = this.gl, out = new Uint8Array(4);
    gl.readPixels(Math.floor(x * this.canvas.width), Math.floor((1 - y) * this.canvas.height), 1, 1, gl.RGBA, gl.UNSIGNED_BYTE, out);
    return [...out];
  }
}
customElements.define('flip-player', FlipPlayer);
