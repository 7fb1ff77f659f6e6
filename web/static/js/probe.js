// The probe: a plane of a cached channel as numbers, with its scale, the value
// under the pointer, range and histogram.
export class Probe {
  // on: {slug, take(), frame(), note}
  constructor(pane, on) {
    this.pane = pane;
    this.on = on;
    const q = (n) => pane.querySelector(`[name=${n}]`);
    this.q = q;
    this.canvas = pane.querySelector('canvas.plane');
    this.hist = pane.querySelector('canvas.hist');
    for (const n of ['channel', 'part', 'axis']) q(n).onchange = () => { if (n === 'axis') q('at').value = ''; this.load(); };
    q('at').onchange = () => this.load();
    q('slide').oninput = () => { const h = this.head; if (h) { q('at').value = +(h.range[0] + (h.range[1] - h.range[0]) * q('slide').value / 1000).toPrecision(4); this.load(); } };
    q('held').onchange = () => { this.held = q('held').checked && this.head ? [this.head.low, this.head.high] : null; this.draw(); };
    q('close').onclick = () => this.toggle(false);
    document.querySelector('[data-probe]').onclick = () => this.toggle();
    this.canvas.addEventListener('pointermove', (e) => this.point(e));
    this.canvas.addEventListener('pointerleave', () => { q('under').textContent = ''; });
    this.canvas.addEventListener('wheel', (e) => { e.preventDefault(); const h = this.head; if (!h) return; q('at').value = +(h.at + Math.sign(e.deltaY) * h.step).toPrecision(6); this.load(); }, { passive: false });
    new ResizeObserver(() => this.draw()).observe(this.canvas.parentElement);
  }

  toggle(open) {
    const want = open === undefined ? this.pane.hidden : open;
    this.pane.hidden = !want;
    document.querySelector('[data-probe]').setAttribute('aria-expanded', want);
    if (want) this.load();
  }

  seek() { if (!this.pane.hidden) this.load(); }

  // one request at a time; the last one asked for is made
  async load() {
    if (this.busy) { this.again = true; return; }
    const t = this.on.take(), frame = this.on.frame();
    if (!t) { this.say('No take yet: run the shot, then read its channels here.'); return; }
    if (!t.frames.includes(frame)) { this.say(`Frame ${frame} is not in take ${t.number}'s cache.`); return; }
    this.busy = true;
    try {
      const p = new URLSearchParams({ channel: this.q('channel').value, part: this.q('part').value, axis: this.q('axis').value, at: this.q('at').value });
      const r = await fetch(`/shots/${this.on.slug}/slice/${t.number}/${frame}?${p}`);
      if (!r.ok) this.say(await r.text());
      else {
        this.head = JSON.parse(r.headers.get('X-Zarf-Slice'));
        this.data = new Float32Array(await r.arrayBuffer());
        this.fill();
        this.draw();
      }
    } catch (err) { this.say(err.message); }
    this.busy = false;
    if (this.again) { this.again = false; this.load(); }
  }

  say(text) {
    this.head = null;
    this.q('facts').textContent = text;
    this.draw();
  }

  fill() {
    const h = this.head, s = this.q('channel');
    const text = (c) => (c.active ? c.name : `${c.name} (empty)`);
    if ([...s.options].map((o) => o.text).join() !== h.channels.map(text).join()) s.replaceChildren(...h.channels.map((c) => new Option(text(c), c.name)));
    s.value = h.channel;
    const ch = h.channels.find((c) => c.name === h.channel);
    this.q('part').hidden = !ch.vector;
    this.q('at').value = +h.at.toPrecision(4);
    this.q('slide').value = 1000 * (h.at - h.range[0]) / Math.max(1e-9, h.range[1] - h.range[0]);
    const n = (v) => +v.toPrecision(4);
    this.q('facts').textContent = h.filled ? `${n(h.low)} to ${n(h.high)} ${h.unit}, mean ${n(h.mean)} over ${h.filled.toLocaleString('en')} voxels that aren't empty${h.bad ? ` · ${h.bad} are not finite` : ''}` : 'This channel is empty at this frame.';
    this.q('facts').classList.toggle('fault', h.bad > 0);
    const c = this.hist.getContext('2d'), w = this.hist.width = this.hist.clientWidth * devicePixelRatio, H = this.hist.height = this.hist.clientHeight * devicePixelRatio;
    const most = Math.log1p(Math.max(...h.bins, 1));
    c.fillStyle = getComputedStyle(this.pane).getPropertyValue('--dim');
    h.bins.forEach((b, i) => { const y = Math.log1p(b) / most * H; c.fillRect(i * w / h.bins.length, H - y, w / h.bins.length - 1, y); });
  }

  span() { return this.held || [Math.min(0, this.head.low), this.head.high]; }

  draw() {
    const c = this.canvas.getContext('2d'), box = this.canvas.parentElement.getBoundingClientRect(), k = devicePixelRatio;
    if (box.width < 4) return;
    this.canvas.width = box.width * k;
    this.canvas.height = box.height * k;
    const h = this.head;
    if (!h) return;
    const [lo, hi] = this.span(), img = new ImageData(h.n[0], h.n[1]);
    for (let j = 0; j < h.n[1]; j++) {
      for (let i = 0; i < h.n[0]; i++) {
        const v = this.data[j * h.n[0] + i], o = 4 * ((h.axis === 'y' ? j : h.n[1] - 1 - j) * h.n[0] + i);
        const [r, g, b] = Number.isFinite(v) ? tone(v, lo, hi) : [255, 0, 255];
        img.data[o] = r; img.data[o + 1] = g; img.data[o + 2] = b; img.data[o + 3] = 255;
      }
    }
    const small = new OffscreenCanvas(h.n[0], h.n[1]);
    small.getContext('2d').putImageData(img, 0, 0);
    const bar = 54 * k, z = Math.min((this.canvas.width - bar) / h.n[0], (this.canvas.height - 22 * k) / h.n[1]);
    this.place = { x: (this.canvas.width - bar - h.n[0] * z) / 2, y: (this.canvas.height - 22 * k - h.n[1] * z) / 2, z };
    c.imageSmoothingEnabled = false;
    c.drawImage(small, this.place.x, this.place.y, h.n[0] * z, h.n[1] * z);
    // the scale: colours with their values, and a length
    c.font = `${11 * k}px "IBM Plex Mono", monospace`;
    c.textBaseline = 'middle';
    const top = 12 * k, tall = this.canvas.height - 44 * k, x = this.canvas.width - bar + 4 * k;
    for (let y = 0; y < tall; y++) { const [r, g, b] = tone(hi - (hi - lo) * y / tall, lo, hi); c.fillStyle = `rgb(${r},${g},${b})`; c.fillRect(x, top + y, 8 * k, 1); }
    c.fillStyle = getComputedStyle(this.pane).getPropertyValue('--ink');
    for (let n = 0; n <= 4; n++) c.fillText(short(hi - (hi - lo) * n / 4), x + 11 * k, top + tall * n / 4);
    const long = nice(h.n[0] * h.step / 4), y = this.canvas.height - 8 * k;
    c.fillRect(this.place.x, y - 4 * k, long / h.step * z, 2 * k);
    c.fillText(`${short(long)} m`, this.place.x + long / h.step * z + 6 * k, y - 3 * k);
  }

  point(e) {
    const h = this.head;
    if (!h || !this.place) return;
    const b = this.canvas.getBoundingClientRect(), k = devicePixelRatio;
    const i = Math.floor(((e.clientX - b.left) * k - this.place.x) / this.place.z);
    let j = Math.floor(((e.clientY - b.top) * k - this.place.y) / this.place.z);
    if (h.axis !== 'y') j = h.n[1] - 1 - j;
    if (i < 0 || j < 0 || i >= h.n[0] || j >= h.n[1]) { this.q('under').textContent = ''; return; }
    const u = h.min[0] + (i + 0.5) * h.step, v = h.min[1] + (j + 0.5) * h.step;
    const at = { x: [h.at, v, u], y: [u, h.at, v], z: [u, v, h.at] }[h.axis];
    this.q('under').textContent = `${+this.data[j * h.n[0] + i].toPrecision(5)} ${h.unit} at ${at.map((x) => x.toFixed(3)).join(', ')} m`;
  }
}

// From dark to light with even steps of lightness; below zero towards blue.
function tone(v, lo, hi) {
  if (v < 0 && lo < 0) { const t = Math.min(1, v / lo); return [20 + 40 * t, 20 + 90 * t, 22 + 190 * t]; }
  const t = Math.max(0, Math.min(1, hi > 0 ? v / hi : (v - lo) / Math.max(1e-30, hi - lo)));
  return [18 + 232 * t ** 1.15, 20 + 190 * t * t ** 0.3, 22 + 120 * Math.sin(Math.PI * Math.min(1, t * 0.8)) * t + 60 * t ** 6];
}
const short = (v) => (v === 0 ? '0' : Math.abs(v) >= 1e5 || Math.abs(v) < 0.001 ? v.toExponential(1).replace('e+', 'e') : `${+v.toPrecision(Math.abs(v) >= 1000 ? 4 : 3)}`);
const nice = (v) => { const p = 10 ** Math.floor(Math.log10(v)); return (v / p >= 5 ? 5 : v / p >= 2 ? 2 : 1) * p; };
