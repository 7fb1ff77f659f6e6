// Ramps and curves: stops on a canvas, and the chosen one in numbers. What is
// set goes into the form's hidden field and is sent like any other value.
const chosen = new Map(); // field → index, kept while panels are exchanged
const toS = (v) => (v <= 0.0031308 ? 12.92 * v : 1.055 * v ** (1 / 2.4) - 0.055);
const fromS = (v) => (v <= 0.04045 ? v / 12.92 : ((v + 0.055) / 1.055) ** 2.4);
const hex = (c) => '#' + c.map((v) => Math.round(255 * toS(Math.min(1, Math.max(0, v)))).toString(16).padStart(2, '0')).join('');
const unhex = (h) => [1, 3, 5].map((i) => fromS(parseInt(h.slice(i, i + 2), 16) / 255));
const short = (v) => String(+(+v).toPrecision(6));
const histograms = new Map();

function parse(text) {
  return text.split(';').map((p) => {
    const w = p.trim().split(/\s+/);
    const way = /^[a-z]/.test(w[w.length - 1]) ? w.pop() : 'straight';
    return { at: +w[0], v: w.slice(1).map(Number), way };
  }).filter((s) => s.v.length && [s.at, ...s.v].every(Number.isFinite));
}
const write = (stops) => stops.map((s) => [short(s.at), ...s.v.map(short), ...(s.way === 'straight' ? [] : [s.way])].join(' ')).join('; ');

function blend(stops, u) {
  let n = 0;
  while (n < stops.length && stops[n].at <= u) n++;
  if (n === 0) return stops[0].v;
  const a = stops[n - 1];
  if (n === stops.length || a.way === 'step') return a.v;
  const b = stops[n];
  let f = (u - a.at) / (b.at - a.at);
  if (a.way === 'smooth') f = f * f * (3 - 2 * f);
  return a.v.map((x, i) => x * (1 - f) + b.v[i] * f);
}

class StopEditor extends HTMLElement {
  static observedAttributes = ['data-text', 'data-low', 'data-high', 'data-channel', 'data-take'];

  // The server's answer: another text (after undo, say), or another range.
  attributeChangedCallback(name, old) {
    if (old === null || !this.canvas) return;
    if (name === 'data-text' && !this.canvas.onpointermove) {
      this.field.value = this.dataset.text;
      this.stops = parse(this.dataset.text);
      this.n = Math.min(this.n, this.stops.length - 1);
    }
    this.fill();
    if (name !== 'data-text') this.histogram();
  }

  connectedCallback() {
    if (this.canvas) return;
    // panels are exchanged piece by piece: what was made here stays
    new MutationObserver(() => { if (this.parts.some((p) => p.parentNode !== this)) this.replaceChildren(...this.parts); }).observe(this, { childList: true });
    this.form = this.closest('form');
    this.field = this.form.elements.v;
    this.ramp = this.dataset.type === 'ramp';
    this.top = Math.max(1, ...(this.ramp ? [] : [1]));
    this.stops = parse(this.field.value);
    this.n = Math.min(chosen.get(this.key()) ?? 0, this.stops.length - 1);
    this.canvas = document.createElement('canvas');
    this.canvas.tabIndex = 0;
    this.canvas.setAttribute('role', 'application');
    this.canvas.setAttribute('aria-label', `${this.dataset.label}: click for another stop, drag to move, arrows nudge, Delete removes, Tab to the numbers`);
    this.parts = [this.canvas, this.numbers(), this.tools()];
    this.append(...this.parts);
    this.canvas.onpointerdown = (e) => this.down(e);
    this.canvas.onkeydown = (e) => this.keyed(e);
    // what is folded away asks for nothing
    this.watch = new ResizeObserver(() => { this.draw(); if (this.canvas.clientWidth && !this.asked) { this.asked = true; this.histogram(); } });
    this.watch.observe(this.canvas);
    this.fill();
  }

  disconnectedCallback() { if (this.watch) this.watch.disconnect(); }

  key() { return `${this.dataset.owner}/${this.dataset.key}`; }

  numbers() {
    const row = document.createElement('div');
    row.className = 'stopnumbers';
    const input = (label, type) => {
      const i = document.createElement('input');
      i.className = type === 'color' ? 'swatch' : 'num';
      i.type = type || 'text';
      i.setAttribute('aria-label', label);
      i.title = label;
      // its own change ends here: the form's comes when the stop is written
      i.addEventListener('change', (e) => { e.stopPropagation(); this.typed(); });
      row.append(i);
      return i;
    };
    this.at = input('Place of the stop, in the channel\'s own numbers');
    if (this.ramp) {
      this.colour = input('Colour of the stop', 'color');
      this.times = input('Brightness: the colour is multiplied by it');
    } else this.value = input('Value of the stop, 0 to 1');
    this.way = document.createElement('select');
    this.way.className = 'pick';
    this.way.setAttribute('aria-label', 'Way to the next stop');
    for (const w of ['straight', 'smooth', 'step']) this.way.append(new Option(w, w));
    this.way.addEventListener('change', (e) => { e.stopPropagation(); this.typed(); });
    row.append(this.way);
    return row;
  }

  tools() {
    const row = document.createElement('div');
    row.className = 'stoptools';
    const b = (text, title, act) => {
      const x = document.createElement('button');
      x.type = 'button';
      x.className = 'btn btn-quiet';
      x.textContent = text;
      x.title = title;
      x.onclick = act;
      row.append(x);
    };
    b('Drop', 'Take the chosen stop away (Delete)', () => this.drop());
    b('Reverse', 'Turn it round', () => { for (const s of this.stops) s.at = +(1 - s.at).toFixed(5); this.turn(); });
    b('Copy', 'Copy all stops as text', () => { navigator.clipboard?.writeText(write(this.stops)).catch(() => {}); sessionStorage.setItem('stops-' + this.dataset.type, write(this.stops)); this.say('copied'); });
    b('Paste', 'Take the stops that were copied', () => this.paste());
    this.kept = document.createElement('select');
    this.kept.className = 'pick';
    this.kept.setAttribute('aria-label', 'Kept ' + this.dataset.type + 's');
    this.kept.append(new Option('kept…', ''));
    this.kept.onfocus = () => this.list();
    this.kept.addEventListener('change', (e) => { e.stopPropagation(); this.choose(); });
    row.append(this.kept);
    this.said = document.createElement('span');
    this.said.className = 'dim';
    row.append(this.said);
    return row;
  }

  say(text) { this.said.textContent = text; }

  turn() {
    // a way belongs to the stretch after its stop: turned round, to the one before
    const ways = this.stops.map((s) => s.way);
    this.stops.reverse();
    this.stops.forEach((s, i) => { s.way = ways[ways.length - 2 - i] || 'straight'; });
    this.send();
  }

  async paste() {
    let text = sessionStorage.getItem('stops-' + this.dataset.type) || '';
    try { text = (await navigator.clipboard.readText()) || text; } catch { /* not allowed to read: what was copied here */ }
    let l = parse(text);
    if (!l.length || l.some((s) => s.v.length !== this.stops[0].v.length)) l = parse(sessionStorage.getItem('stops-' + this.dataset.type) || '');
    if (!l.length) { this.say('nothing to paste: copy stops first'); return; }
    this.stops = l;
    this.n = 0;
    this.send();
  }

  async list() {
    const r = await fetch(`/kept/${this.dataset.type}`).catch(() => null);
    if (!r || !r.ok) return;
    const l = await r.json();
    this.kept.replaceChildren(new Option('kept…', ''), ...l.map((k) => new Option(k.name, k.text)), new Option('Keep these…', '+'));
    if (l.length) this.kept.append(new Option('Forget one…', '-'));
  }

  async choose() {
    const v = this.kept.value, name = this.kept.selectedOptions[0].text;
    this.kept.value = '';
    if (!v) return;
    if (v === '+' || v === '-') {
      const n = await this.ask(v === '+' ? 'name to keep it by' : 'name of what to forget');
      if (!n) return;
      const r = await fetch(`/kept/${this.dataset.type}`, { method: 'POST', body: new URLSearchParams({ name: n, text: v === '+' ? write(this.stops) : '' }) });
      this.say(r.ok ? (v === '+' ? 'kept' : 'forgotten') : await r.text());
      return;
    }
    this.stops = parse(v);
    this.n = 0;
    this.say(name);
    this.send();
  }

  // ask wants a name, in a field that stands there for as long.
  ask(words) {
    return new Promise((done) => {
      const i = document.createElement('input');
      i.className = 'text';
      i.placeholder = words;
      i.setAttribute('aria-label', words);
      i.addEventListener('change', (e) => e.stopPropagation());
      const end = (v) => { i.remove(); done(v); };
      i.onkeydown = (e) => { if (e.key === 'Enter') { e.preventDefault(); end(i.value.trim()); } else if (e.key === 'Escape') end(''); };
      this.lastElementChild.append(i);
      i.focus();
    });
  }

  typed() {
    const s = this.stops[this.n], low = +this.dataset.low, high = +this.dataset.high;
    const at = parseFloat(this.at.value);
    if (Number.isFinite(at) && high !== low) s.at = Math.min(1, Math.max(0, (at - low) / (high - low)));
    if (this.ramp) {
      const k = Math.min(100, Math.max(0, parseFloat(this.times.value) || 0));
      s.v = unhex(this.colour.value).map((x) => x * k);
    } else {
      const v = parseFloat(this.value.value);
      if (Number.isFinite(v)) s.v = [Math.min(1, Math.max(0, v))];
    }
    s.way = this.way.value;
    this.send();
  }

  // order keeps the chosen stop chosen.
  order() {
    const s = this.stops[this.n];
    this.stops.sort((a, b) => a.at - b.at);
    this.n = this.stops.indexOf(s);
  }

  send() {
    this.order();
    this.fill();
    chosen.set(this.key(), this.n);
    const text = write(this.stops);
    if (text === this.field.value) return;
    this.field.value = text;
    this.field.dispatchEvent(new Event('change', { bubbles: true }));
  }

  fill() {
    const s = this.stops[this.n], low = +this.dataset.low, high = +this.dataset.high;
    this.at.value = short(+(low + (high - low) * s.at).toPrecision(5));
    if (this.ramp) {
      const k = Math.max(1, ...s.v);
      this.colour.value = hex(s.v.map((x) => x / k));
      this.times.value = short(+k.toPrecision(4));
    } else this.value.value = short(+s.v[0].toPrecision(4));
    this.way.value = s.way;
    this.soon();
  }

  place(e) {
    const b = this.canvas.getBoundingClientRect();
    return [Math.min(1, Math.max(0, (e.clientX - b.left - 6) / (b.width - 12))), Math.min(1, Math.max(0, 1 - (e.clientY - b.top - 6) / (b.height - 12)))];
  }

  down(e) {
    e.preventDefault();
    this.canvas.focus();
    const [u, v] = this.place(e), b = this.canvas.getBoundingClientRect();
    const far = (s) => Math.hypot((s.at - u) * b.width, this.ramp ? 0 : (s.v[0] - v) * b.height);
    let n = this.stops.reduce((m, s, i) => (far(s) < far(this.stops[m]) ? i : m), 0);
    if (far(this.stops[n]) > 9) {
      if (this.stops.length >= 64) { this.say('64 stops are the most'); return; }
      const s = { at: +u.toFixed(4), v: this.ramp ? [...blend(this.stops, u)] : [+v.toFixed(3)], way: this.stops[n].way };
      this.stops.push(s);
      this.n = this.stops.length - 1;
      this.order();
      n = this.n;
    }
    this.n = n;
    this.fill();
    this.canvas.setPointerCapture(e.pointerId);
    this.canvas.onpointermove = (m) => {
      const [x, y] = this.place(m), s = this.stops[this.n];
      s.at = +x.toFixed(4);
      if (!this.ramp) s.v = [+y.toFixed(3)];
      this.order();
      this.fill();
    };
    this.canvas.onpointerup = () => { this.canvas.onpointermove = null; this.canvas.onpointerup = null; this.send(); };
  }

  drop() {
    if (this.stops.length < 2) { this.say('the last stop stays'); return; }
    this.stops.splice(this.n, 1);
    this.n = Math.max(0, this.n - 1);
    this.send();
  }

  keyed(e) {
    const s = this.stops[this.n], d = e.shiftKey ? 0.05 : 0.01;
    const act = {
      ArrowLeft: () => { s.at = Math.max(0, +(s.at - d).toFixed(4)); }, ArrowRight: () => { s.at = Math.min(1, +(s.at + d).toFixed(4)); },
      ArrowUp: () => { if (!this.ramp) s.v = [Math.min(1, +(s.v[0] + d).toFixed(3))]; }, ArrowDown: () => { if (!this.ramp) s.v = [Math.max(0, +(s.v[0] - d).toFixed(3))]; },
      '[': () => { this.n = Math.max(0, this.n - 1); }, ']': () => { this.n = Math.min(this.stops.length - 1, this.n + 1); },
      Delete: () => this.drop(), Backspace: () => this.drop(),
    }[e.key];
    if (!act) return;
    e.preventDefault();
    e.stopPropagation();
    act();
    this.send();
  }

  // The values of the channel at this frame stand behind.
  async histogram() {
    const { take, channel, low, high, slug } = this.dataset;
    const frame = document.getElementById('frame').value;
    if (!take || !channel) return;
    const url = `/shots/${slug}/histogram/${take}/${frame}?channel=${channel}&low=${low}&high=${high}`;
    if (!histograms.has(url)) {
      if (histograms.size > 60) histograms.clear();
      histograms.set(url, fetch(url).then((r) => (r.ok ? r.json() : r.text())).catch(() => null));
    }
    const h = await histograms.get(url);
    if (typeof h === 'string') { this.say(h); return; }
    this.bins = h && h.bins;
    this.draw();
  }

  // Draws with the page's next picture: its size can't be asked for before without
  // laying the page out.
  soon() {
    cancelAnimationFrame(this.due);
    this.due = requestAnimationFrame(() => this.draw());
  }

  draw() {
    const c = this.canvas, k = devicePixelRatio, w = c.clientWidth * k, h = c.clientHeight * k;
    if (w < 10 || h < 10) return;
    c.width = w;
    c.height = h;
    const g = c.getContext('2d'), css = getComputedStyle(this), pad = 6 * k;
    const X = (u) => pad + u * (w - 2 * pad), Y = (v) => h - pad - v * (h - 2 * pad);
    const strip = this.ramp ? h * 0.55 : 0;
    if (this.ramp) {
      for (let x = Math.floor(pad); x < w - pad; x++) {
        g.fillStyle = hex(blend(this.stops, (x - pad) / (w - 2 * pad)));
        g.fillRect(x, 0, 1, strip);
      }
    }
    if (this.bins) {
      const most = Math.log1p(Math.max(1, ...this.bins)), from = strip ? h : Y(0), tall = strip ? h - strip : h - 2 * pad;
      g.fillStyle = css.getPropertyValue('--dim');
      g.globalAlpha = 0.35;
      this.bins.forEach((b, i) => { const t = Math.log1p(b) / most * tall; g.fillRect(X(i / this.bins.length), from - t, (w - 2 * pad) / this.bins.length - 1, t); });
      g.globalAlpha = 1;
    }
    g.strokeStyle = css.getPropertyValue('--ink');
    g.lineWidth = 1.3 * k;
    if (!this.ramp) {
      g.beginPath();
      for (let i = 0; i <= 200; i++) { const u = i / 200, v = blend(this.stops, u)[0]; if (i) g.lineTo(X(u), Y(v)); else g.moveTo(X(u), Y(v)); }
      g.stroke();
    }
    this.stops.forEach((s, i) => {
      const x = X(s.at), y = this.ramp ? strip : Y(s.v[0]);
      g.beginPath();
      if (this.ramp) { g.moveTo(x, strip - 9 * k); g.lineTo(x, strip + 4 * k); } else g.rect(x - 3.5 * k, y - 3.5 * k, 7 * k, 7 * k);
      g.lineWidth = (this.ramp ? 5 : 1.5) * k;
      g.strokeStyle = css.getPropertyValue('--paper') || '#222';
      if (this.ramp) g.stroke();
      g.lineWidth = (this.ramp ? 2 : 1.5) * k;
      g.strokeStyle = i === this.n ? css.getPropertyValue('--accent') : css.getPropertyValue('--ink');
      g.fillStyle = i === this.n ? css.getPropertyValue('--accent') : css.getPropertyValue('--paper') || '#222';
      if (!this.ramp) g.fill();
      g.stroke();
      if (this.ramp) { g.beginPath(); g.arc(x, strip + 7 * k, 3.5 * k, 0, 7); if (i === this.n) g.fill(); g.lineWidth = 1.5 * k; g.stroke(); }
    });
  }
}
customElements.define('stop-editor', StopEditor);
