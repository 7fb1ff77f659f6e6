// Measuring a reference: where the front of a clip is at which time, by dragging from the
// source to the front or by brightness, and how long something in it is. Heights are shares
// of the picture's height; the server lays the front over a take's.
const STEPS = 48, WIDE = 96;

export class Measure {
  // on: {slug, send(path, values), clip(), media(), scene(), frame(), go(frame), take(), say(text)}
  constructor(pane, on) {
    this.pane = pane;
    this.on = on;
    this.bar = pane.querySelector('.refmeasure');
    this.box = pane.querySelector('.refshow');
    this.out = pane.querySelector('.reflaid');
    const $ = (n) => this.bar.querySelector(`[name=${n}]`);
    this.hand = $('hand');
    this.ruler = $('ruler');
    this.length = $('length');
    this.fill = $('fill');
    this.canvas = document.createElement('canvas');
    this.canvas.className = 'refmarks';
    this.canvas.setAttribute('aria-label', 'Drag from the source to the front');
    pane.querySelector('[data-measure]').onclick = () => this.toggle(this.bar.hidden);
    this.hand.onclick = () => this.arm(this.tool === 'hand' ? '' : 'hand');
    this.ruler.onclick = () => this.arm(this.tool === 'ruler' ? '' : 'ruler');
    $('bright').onclick = () => this.bright();
    $('clear').onclick = () => { const c = on.clip(); if (c) on.send(`clip/${c.id}/front`, { v: '[]' }); };
    this.out.onclick = (e) => {
      const b = e.target instanceof Element && e.target.closest('[data-start]'), c = on.clip();
      if (b instanceof HTMLElement && c) on.send(`clip/${c.id}/offset`, { v: b.dataset.start });
    };
    this.canvas.addEventListener('pointerdown', (e) => this.press(e));
    this.canvas.addEventListener('pointermove', (e) => { if (this.drag) { this.drag.to = this.place(e); this.draw(); } });
    this.canvas.addEventListener('pointerup', (e) => this.release(e));
    this.canvas.addEventListener('pointercancel', () => { this.drag = null; this.draw(); });
    new ResizeObserver(() => this.draw()).observe(this.box);
  }

  toggle(open) {
    this.bar.hidden = !open;
    this.pane.querySelector('[data-measure]').setAttribute('aria-expanded', String(open));
    if (!open) this.arm('');
    this.show(true);
  }

  get moving() { const m = this.on.media(); return m && m.duration > 0 ? m : null; }

  // What is known of the clip, and what it tells; again where its marks have changed.
  show(again) {
    const c = this.on.clip(), open = !this.bar.hidden && !!c;
    this.out.hidden = !open;
    const on = open && (c.type.startsWith('video/'));
    for (const b of this.bar.querySelectorAll('button')) b.disabled = !on;
    if (open && !on) this.out.textContent = 'A picture has no time: measure a clip.';
    if (!on) { this.canvas.remove(); return; }
    if (this.canvas.parentElement !== this.box) this.box.append(this.canvas);
    this.length.value = this.length.value || '1';
    this.draw();
    const key = `${c.id} ${this.on.take()} ${JSON.stringify(c.front || [])} ${c.tall || 0}`;
    if (!again && key === this.key) return;
    this.key = key;
    if (!(c.front || []).length) { this.out.textContent = 'Drag from where it comes from to its front, frame by frame, or let brightness find it.'; return; }
    fetch(`/shots/${this.on.slug}/clip/${c.id}/measured?take=${this.on.take() || ''}`).then(async (r) => {
      const text = await r.text();
      if (this.key !== key) return;
      if (!r.ok) { this.out.textContent = text; return; }
      this.out.innerHTML = text; // made by this server, and escaped there
      htmx.process(this.out);
    }).catch(() => { this.out.textContent = 'The server does not answer.'; });
  }

  arm(tool) {
    this.tool = tool;
    this.hand.setAttribute('aria-pressed', String(tool === 'hand'));
    this.ruler.setAttribute('aria-pressed', String(tool === 'ruler'));
    this.canvas.classList.toggle('armed', !!tool);
    if (tool === 'hand') this.on.say('Drag from the source to the front; the score goes on by itself.');
    if (tool === 'ruler') this.on.say(`Drag along what is ${this.length.value || '?'} m long, as far away as the front.`);
    this.draw();
  }

  // where the clip's picture lies in the box
  frame() {
    const m = this.moving, w = this.box.clientWidth, h = this.box.clientHeight;
    if (!m || !m.videoWidth) return null;
    const k = Math.min(w / m.videoWidth, h / m.videoHeight);
    return { x: (w - m.videoWidth * k) / 2, y: (h - m.videoHeight * k) / 2, w: m.videoWidth * k, h: m.videoHeight * k };
  }

  place(e) { const b = this.box.getBoundingClientRect(); return [e.clientX - b.left, e.clientY - b.top]; }

  press(e) {
    if (!this.tool || !this.moving || e.button !== 0) return;
    e.preventDefault();
    this.canvas.setPointerCapture(e.pointerId);
    this.drag = { from: this.place(e), to: this.place(e) };
    this.draw();
  }

  release(e) {
    const d = this.drag, f = this.frame(), c = this.on.clip();
    this.drag = null;
    this.draw();
    if (!d || !f || !c) return;
    d.to = this.place(e);
    const dx = (d.to[0] - d.from[0]) / f.h, dy = (d.from[1] - d.to[1]) / f.h;
    if (this.tool === 'ruler') {
      const long = parseFloat(this.length.value), share = Math.hypot(dx, dy);
      if (!(long > 0)) { this.on.say(`“${this.length.value}” is no length; give metres.`); return; }
      if (share < 0.01) { this.on.say('That is too short to be measured; drag along something longer.'); return; }
      this.arm('');
      this.on.send(`clip/${c.id}/tall`, { v: String(long / share) });
      return;
    }
    if (dy < 0.003) { this.on.say('The front lies over the source: drag upwards.'); return; }
    const t = this.moving.currentTime;
    const marks = (c.front || []).filter((m) => Math.abs(m[0] - t) > 1e-3).concat([[t, dy]]).sort((a, b) => a[0] - b[0]);
    c.front = marks; // until the server's answer is there
    this.on.send(`clip/${c.id}/front`, { v: JSON.stringify(marks) });
    const s = this.on.scene();
    this.on.go(this.on.frame() + Math.max(1, Math.round(s.rate / 6)));
  }

  draw() {
    const b = this.box, k = Math.min(devicePixelRatio, 2), f = this.frame();
    if (this.canvas.parentElement !== b || !f) return;
    this.canvas.width = Math.round(b.clientWidth * k);
    this.canvas.height = Math.round(b.clientHeight * k);
    const c = this.canvas.getContext('2d'), clip = this.on.clip();
    c.scale(k, k);
    const ink = getComputedStyle(this.pane).getPropertyValue('--accent') || '#fff';
    c.strokeStyle = ink;
    c.fillStyle = ink;
    c.lineWidth = 1.5;
    const t = this.moving.currentTime;
    // the front as it goes over the picture, its source at the floor that was found or dragged
    const base = this.base ?? f.y + f.h;
    for (const m of clip.front || []) {
      const near = Math.abs(m[0] - t) < 0.02, y = base - m[1] * f.h;
      c.globalAlpha = near ? 1 : 0.35;
      c.fillRect(near ? f.x : f.x + f.w - 8, y - 0.75, near ? f.w : 8, 1.5);
    }
    c.globalAlpha = 1;
    if (this.drag) {
      c.beginPath();
      c.moveTo(this.drag.from[0], this.drag.from[1]);
      c.lineTo(this.drag.to[0], this.drag.to[1]);
      c.stroke();
      if (this.tool === 'hand') this.base = this.drag.from[1];
    }
  }

  // The highest row in which enough of the picture differs from the clip's beginning.
  async bright() {
    const m = this.moving, c = this.on.clip();
    if (!m || !c || this.busy) return;
    this.busy = true;
    const high = Math.max(8, Math.round(WIDE * m.videoHeight / m.videoWidth));
    const work = document.createElement('canvas');
    work.width = WIDE;
    work.height = high;
    const g = work.getContext('2d', { willReadFrequently: true });
    const was = m.currentTime, from = Math.max(0, c.offset || 0), span = m.duration - from;
    const at = (t) => new Promise((done, fail) => {
      const late = setTimeout(() => fail(new Error('late')), 5000);
      m.onseeked = () => { clearTimeout(late); g.drawImage(m, 0, 0, WIDE, high); done(g.getImageData(0, 0, WIDE, high).data); };
      m.currentTime = Math.min(t, m.duration - 1e-3);
    });
    try {
      m.pause();
      const first = await at(from), rows = [];
      let low = -1;
      const least = parseFloat(this.fill.value) / 100 * 255, enough = Math.max(2, WIDE / 50);
      for (let n = 1; n <= STEPS; n++) {
        const t = from + span * n / STEPS, now = await at(t);
        let top = -1;
        for (let y = 0; y < high; y++) {
          let count = 0;
          for (let x = 0; x < WIDE; x++) {
            const o = 4 * (y * WIDE + x);
            const d = 0.2126 * (now[o] - first[o]) + 0.7152 * (now[o + 1] - first[o + 1]) + 0.0722 * (now[o + 2] - first[o + 2]);
            if (Math.abs(d) > least) count++;
          }
          if (count >= enough) { if (top < 0) top = y; low = Math.max(low, y); }
        }
        if (top >= 0) rows.push([m.currentTime, top]);
        this.on.say(`looked at ${n} of ${STEPS} pictures`);
      }
      const marks = rows.map(([t, top]) => [t, (low + 1 - top) / high]).filter((p, i, all) => i === 0 || p[0] > all[i - 1][0]);
      const range = marks.length ? Math.max(...marks.map((p) => p[1])) - Math.min(...marks.map((p) => p[1])) : 0;
      if (marks.length < 4 || range < 0.02) {
        this.on.say(`Nothing in ${c.name} moves up: of ${STEPS} pictures ${marks.length} differ from its first one by over ${this.fill.value} %. Take a smaller difference, start the clip before the smoke, or mark it by hand.`);
        return;
      }
      const f = this.frame();
      this.base = f ? f.y + f.h * (low + 1) / high : undefined;
      this.on.say(`${marks.length} marks`);
      await this.on.send(`clip/${c.id}/front`, { v: JSON.stringify(marks) });
    } catch {
      this.on.say(`${c.name} can't be read picture by picture here; mark it by hand.`);
    } finally {
      m.onseeked = null;
      m.currentTime = was;
      this.busy = false;
    }
  }
}
