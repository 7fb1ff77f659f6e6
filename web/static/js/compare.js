// Takes beside each other: side by side, in a wipe, as their difference, or as
// a sheet, with one camera and one clock. Reference clips can stand among them.
const MAX_FETCH = 2;

export class Compare {
  // on: {slug, note, scene(), frame(), post(path, values), address(q)}
  constructor(pane, on) {
    this.on = on;
    this.pane = pane;
    this.canvas = pane.querySelector('canvas');
    this.c = this.canvas.getContext('2d');
    this.table = pane.querySelector('.comparetable');
    this.list = pane.querySelector('.compareitems');
    this.said = pane.querySelector('[name=said]');
    this.mode = pane.querySelector('[name=mode]');
    this.gain = pane.querySelector('[name=gain]');
    this.items = [];
    this.pictures = new Map();
    this.line = 0.5;
    this.busy = 0;
    this.mode.onchange = () => { this.tell(); this.lay(); this.resize(); };
    this.gain.onchange = () => this.draw();
    pane.querySelector('[name=add]').onchange = (e) => { this.add(e.target.value); e.target.value = ''; };
    pane.querySelector('[name=close]').onclick = () => this.close();
    pane.querySelector('[name=adopt]').onclick = () => { const it = this.items[this.chosen]; if (it && it.take) on.post(`take/${it.take}/${it.swept ? 'adopt' : 'restore'}`, {}); };
    this.list.addEventListener('change', (e) => this.edit(e));
    this.list.addEventListener('click', (e) => { const b = e.target.closest('[data-out]'); if (b) this.remove(+b.dataset.out); });
    this.canvas.addEventListener('pointerdown', (e) => this.press(e));
    this.canvas.addEventListener('pointermove', (e) => { if (this.dragging) this.drag(e); });
    this.canvas.addEventListener('pointerup', () => { this.dragging = false; });
    new ResizeObserver(() => this.resize()).observe(this.canvas.parentElement);
  }

  get open() { return !this.pane.hidden; }

  async show(numbers, mode, looks = []) {
    this.pane.hidden = false;
    this.chosen = -1;
    this.items = numbers.map((take, i) => ({ take, offset: 0, look: looks[i] || '' }));
    this.mode.value = mode || (numbers.length > 4 ? 'sheet' : 'side');
    await this.facts();
    this.resize();
    this.tell();
  }

  close() {
    this.pane.hidden = true;
    for (const it of this.items) if (it.video) it.video.pause();
    this.items = [];
    this.on.address({ compare: null, mode: null, sweep: null, looks: null });
    this.on.closed();
  }

  tell() {
    const takes = this.items.filter((x) => x.take).map((x) => x.take);
    const looks = this.items.filter((x) => x.take).map((x) => x.look || '');
    this.on.address({ compare: takes.join(',') || null, mode: this.mode.value, looks: looks.some((l) => l) ? looks.join(',') : null });
  }

  // What differs between the takes, which frames they hold, their rates.
  async facts() {
    const takes = [...new Set(this.items.filter((x) => x.take).map((x) => x.take))]; // one take under two looks counts once
    if (takes.length) {
      const r = await fetch(`/shots/${this.on.slug}/compare?takes=${takes.join(',')}`);
      const text = await r.text();
      if (!r.ok) { this.on.note('They can’t be compared.', true); return; }
      const box = document.createElement('template');
      box.innerHTML = text; // made by this server, and escaped there
      this.table.replaceChildren(box.content);
      const known = JSON.parse(this.table.firstElementChild.dataset.takes);
      for (const it of this.items) { const k = known.find((x) => x.number === it.take); if (k) Object.assign(it, k, { frames: new Set(k.frames) }); }
    }
    this.lay();
  }

  lay() {
    const scene = this.on.scene();
    const looks = JSON.parse(this.pane.dataset.looks);
    const row = (it, i) => {
      const d = document.createElement('span');
      d.className = 'compareitem line';
      const b = document.createElement('b');
      b.textContent = it.take ? `Take ${it.take}` : it.clip.name;
      d.append(b);
      if (it.take && looks.length > 1) {
        const s = document.createElement('select');
        s.className = 'pick';
        s.setAttribute('aria-label', `Look of take ${it.take}`);
        s.dataset.look = i;
        for (const l of looks) s.append(new Option(l.name, l.id, false, l.id === it.look));
        d.append(s);
      }
      const o = document.createElement('input');
      o.className = 'num';
      o.value = it.offset;
      o.title = 'Frames later than the score';
      o.setAttribute('aria-label', `Offset of ${b.textContent}, frames`);
      o.dataset.offset = i;
      const x = document.createElement('button');
      x.className = 'btn btn-quiet';
      x.textContent = '×';
      x.dataset.out = i;
      x.setAttribute('aria-label', `Take ${b.textContent} out`);
      d.append('+', o, x);
      return d;
    };
    this.list.replaceChildren(...(this.items.length > 4 || this.mode.value === 'sheet' ? [] : this.items.map(row)));
    const add = this.pane.querySelector('[name=add]');
    add.replaceChildren(new Option('add…', ''));
    for (const n of JSON.parse(this.pane.dataset.takes)) add.append(new Option(`Take ${n}`, `t${n}`));
    for (const cl of scene ? scene.clips : []) add.append(new Option(cl.name, `c${cl.id}`));
  }

  async add(what) {
    if (!what) return;
    if (this.items.length >= 4 && this.mode.value !== 'sheet') { this.on.note('Four stand beside each other at most; take one out first.', true); return; }
    if (what[0] === 't') this.items.push({ take: +what.slice(1), offset: 0, look: '' });
    else {
      const clip = this.on.scene().clips.find((x) => x.id === what.slice(1));
      const it = { clip, offset: 0 };
      if (clip.type.startsWith('video/')) {
        it.video = document.createElement('video');
        it.video.muted = true;
        it.video.preload = 'auto';
        it.video.src = `/shots/${this.on.slug}/clip/${clip.id}`;
        it.video.onseeked = it.video.onloadeddata = () => this.draw();
      } else {
        it.still = new Image();
        it.still.onload = () => this.draw();
        it.still.src = `/shots/${this.on.slug}/clip/${clip.id}`;
      }
      this.items.push(it);
    }
    await this.facts();
    this.tell();
    this.resize();
  }

  remove(i) {
    this.items.splice(i, 1);
    if (!this.items.length) { this.close(); return; }
    this.facts().then(() => { this.tell(); this.resize(); });
  }

  edit(e) {
    const t = e.target;
    if (t.dataset.offset) {
      const v = parseFloat(t.value);
      if (Number.isNaN(v)) { this.on.note(`“${t.value}” is no number of frames.`, true); return; }
      this.items[+t.dataset.offset].offset = v;
    }
    if (t.dataset.look) { this.items[+t.dataset.look].look = t.value; this.tell(); }
    this.draw();
  }

  // a take's own frame at a frame of the score: matched by seconds
  at(it, frame) {
    const s = this.on.scene();
    return Math.round(it.first + (frame - s.first + it.offset) * it.rate / s.rate);
  }

  columns() {
    const n = this.items.length;
    if (this.mode.value !== 'sheet') return n <= 2 || n === 3 ? Math.min(n, 3) : 2;
    return Math.ceil(Math.sqrt(n));
  }

  wanted() {
    const cols = this.mode.value === 'side' || this.mode.value === 'sheet' ? this.columns() : 1;
    return Math.max(64, Math.min(640, Math.round(this.canvas.clientWidth / cols / 64) * 64));
  }

  key(it, frame) { return `${it.take}/${this.at(it, frame)}?w=${this.wanted()}&look=${it.look}`; }

  picture(it, frame) {
    if (it.still) return it.still.naturalWidth ? it.still : null;
    if (it.video) {
      const s = this.on.scene(), t = Math.max(0, (it.clip.offset || 0) + (frame - s.first + it.offset) / s.rate);
      if (Math.abs(it.video.currentTime - t) > 0.4 / s.rate) it.video.currentTime = Math.min(t, it.video.duration || t);
      return it.video.readyState >= 2 ? it.video : null;
    }
    const p = this.pictures.get(this.key(it, frame));
    return p && p.bitmap ? p.bitmap : null;
  }

  has(it, frame) { return it.frames && it.frames.has(this.at(it, frame)); }

  ready(frame) { return this.items.every((it) => !it.take || !this.has(it, frame) || this.picture(it, frame)); }

  // Asks for what is missing: this frame first, then those that follow.
  fill() {
    if (!this.open || this.busy >= MAX_FETCH) return;
    const s = this.on.scene();
    if (!s) return;
    const n = s.last - s.first + 1;
    let missing = 0, next = null;
    for (let k = 0; k < n; k++) {
      const f = s.first + (this.on.frame() - s.first + k) % n;
      for (const it of this.items) {
        if (!it.take || !this.has(it, f)) continue;
        const key = this.key(it, f);
        if (this.pictures.has(key)) continue;
        missing++;
        next = next || { key };
      }
    }
    this.said.textContent = missing ? `${missing} pictures to come` : '';
    if (!next) return;
    const p = { };
    this.pictures.set(next.key, p);
    if (this.pictures.size > 3000) this.pictures.delete(this.pictures.keys().next().value);
    this.busy++;
    fetch(`/shots/${this.on.slug}/still/${next.key}`).then(async (r) => {
      if (!r.ok) throw new Error(await r.text());
      p.bitmap = await createImageBitmap(await r.blob());
      this.draw();
    }).catch((err) => { p.fault = err.message; }).finally(() => { this.busy--; this.fill(); });
    this.fill();
  }

  resize() {
    if (!this.open) return;
    const b = this.canvas.parentElement.getBoundingClientRect(), k = Math.min(devicePixelRatio, 2);
    if (b.width < 4) return;
    this.canvas.width = Math.round(b.width * k);
    this.canvas.height = Math.round(b.height * k);
    this.scale = k;
    this.draw();
    this.fill();
  }

  seek() { this.draw(); this.fill(); }

  draw() {
    if (this.due || !this.open) return;
    this.due = requestAnimationFrame(() => { this.due = 0; this.paint(); });
  }

  // where item i stands: x, y, width, height
  /** @returns {[number, number, number, number]} */
  cell(i) {
    const cols = this.columns(), rows = Math.ceil(this.items.length / cols), w = this.canvas.width / cols, h = this.canvas.height / rows;
    return [i % cols * w, Math.floor(i / cols) * h, w, h];
  }

  /** @returns {[number, number, number, number]} */
  fit(img, box) {
    const [x, y, w, h] = box;
    const iw = img.videoWidth || img.naturalWidth || img.width, ih = img.videoHeight || img.naturalHeight || img.height;
    const k = Math.min(w / iw, h / ih);
    return [x + (w - iw * k) / 2, y + (h - ih * k) / 2, iw * k, ih * k];
  }

  paint() {
    const c = this.c, W = this.canvas.width, H = this.canvas.height, frame = this.on.frame(), mode = this.mode.value;
    c.globalCompositeOperation = 'source-over';
    c.filter = 'none';
    c.clearRect(0, 0, W, H);
    this.pane.querySelector('.comparegain').hidden = mode !== 'difference';
    const shown = this.items.map((it) => this.picture(it, frame));
    if (mode === 'side' || mode === 'sheet') {
      this.items.forEach((it, i) => {
        const box = this.cell(i);
        if (shown[i]) c.drawImage(shown[i], ...this.fit(shown[i], box));
        this.label(it, box, frame, i === this.chosen, shown[i]);
      });
      return;
    }
    const [a, b] = shown, full = [0, 0, W, H];
    if (mode === 'wipe') {
      const x = W * this.line;
      if (a) c.drawImage(a, ...this.fit(a, full));
      if (b) { c.save(); c.beginPath(); c.rect(x, 0, W - x, H); c.clip(); c.clearRect(x, 0, W - x, H); c.drawImage(b, ...this.fit(b, full)); c.restore(); }
      c.fillStyle = '#fff';
      c.fillRect(x - this.scale / 2, 0, this.scale, H);
    } else if (a && b) {
      c.drawImage(a, ...this.fit(a, full));
      c.globalCompositeOperation = 'difference';
      c.drawImage(b, ...this.fit(b, full));
      c.globalCompositeOperation = 'source-over';
      const g = +this.gain.value;
      if (g > 1) { // brighter, so that small differences are seen
        const copy = new OffscreenCanvas(W, H);
        copy.getContext('2d').drawImage(this.canvas, 0, 0);
        c.clearRect(0, 0, W, H);
        c.filter = `brightness(${g})`;
        c.drawImage(copy, 0, 0);
        c.filter = 'none';
      }
    }
    this.items.slice(0, 2).forEach((it, i) => this.label(it, i ? [W / 2, 0, W / 2, H] : [0, 0, W / 2, H], frame, false, shown[i], i && mode === 'wipe'));
  }

  label(it, [x, y, w, h], frame, chosen, shown, right) {
    const c = this.c, k = this.scale;
    c.font = `${12 * k}px "IBM Plex Sans", sans-serif`;
    c.textBaseline = 'top';
    c.textAlign = right ? 'right' : 'left';
    const look = it.look && JSON.parse(this.pane.dataset.looks).find((l) => l.id === it.look);
    const text = it.take ? `Take ${it.take}${look ? ` · ${look.name}` : ''}${it.note ? ` · ${it.note}` : ''}` : it.clip.name;
    const lx = right ? x + w - 6 * k : x + 6 * k;
    c.lineWidth = 3 * k;
    c.strokeStyle = 'rgba(0,0,0,.75)';
    c.fillStyle = '#e6e6e6';
    const cut = text.length * 6.2 * k > w ? text.slice(0, Math.max(8, Math.floor(w / 6.2 / k))) + '…' : text;
    c.strokeText(cut, lx, y + 5 * k);
    c.fillText(cut, lx, y + 5 * k);
    if (!shown && it.take) {
      const p = this.pictures.get(this.key(it, frame));
      c.fillStyle = '#9a9a9a';
      c.fillText(!this.has(it, frame) ? `holds no frame ${this.at(it, frame)}` : p && p.fault ? p.fault.slice(0, 60) : 'to come…', lx, y + 24 * k);
    }
    c.textAlign = 'left';
    if (chosen) { c.strokeStyle = '#46a798'; c.lineWidth = 2 * k; c.strokeRect(x + k, y + k, w - 2 * k, h - 2 * k); }
  }

  press(e) {
    if (this.mode.value === 'wipe') { this.dragging = true; this.canvas.setPointerCapture(e.pointerId); this.drag(e); return; }
    if (this.mode.value === 'difference') return;
    const b = this.canvas.getBoundingClientRect(), x = (e.clientX - b.left) * this.scale, y = (e.clientY - b.top) * this.scale;
    this.chosen = this.items.findIndex((_, i) => { const [cx, cy, w, h] = this.cell(i); return x >= cx && x < cx + w && y >= cy && y < cy + h; });
    const it = this.items[this.chosen], button = this.pane.querySelector('[name=adopt]');
    button.hidden = !it || !it.take;
    if (it && it.take) button.textContent = `Go on from take ${it.take}`;
    this.draw();
  }

  drag(e) {
    const b = this.canvas.getBoundingClientRect();
    this.line = Math.max(0, Math.min(1, (e.clientX - b.left) / b.width));
    this.draw();
  }
}
