// The score: a lane for each thing that happens in time, with note heads for
// keys. It is drawn on a canvas, what is in sight alone, once a frame at most,
// so that thousands of keys can be dragged.
//
// Keys are dragged one by one, as a chosen group, as a lane (by its name) or
// with all of an element's lanes (by the element's name); with Ctrl a copy goes
// and the first stays. A double click on a lane opens its curve.
import { at, after } from './curve.js';

const LEFT = 132, RIGHT = 12, HEAD = 20, LANE = 21;
const mark = (el, key, f) => `${el}\n${key}\n${f}`;

export class Score {
  constructor(canvas, on) {
    this.canvas = canvas;
    this.c = canvas.getContext('2d');
    this.on = on;
    this.scroll = 0;
    this.chosen = new Set();
    this.open = null; // the lane whose curve is shown
    this.drawn = 0;
    canvas.addEventListener('pointerdown', (e) => this.press(e));
    canvas.addEventListener('pointermove', (e) => this.move(e));
    canvas.addEventListener('pointerup', () => this.lift());
    canvas.addEventListener('pointercancel', () => { this.drag = null; this.draw(); });
    canvas.addEventListener('dblclick', (e) => this.twice(e));
    canvas.addEventListener('wheel', (e) => this.wheel(e), { passive: false });
    canvas.addEventListener('pointerleave', () => { this.tip = null; this.draw(); });
    new ResizeObserver(() => this.size()).observe(canvas.parentElement);
    document.addEventListener('zarf:theme', () => this.draw());
    this.size();
  }

  size() {
    const box = this.canvas.getBoundingClientRect(), k = Math.min(2, window.devicePixelRatio || 1);
    this.width = box.width;
    this.height = box.height;
    this.canvas.width = Math.round(box.width * k);
    this.canvas.height = Math.round(box.height * k);
    this.c.setTransform(k, 0, 0, k, 0, 0);
    this.draw();
  }

  // frames ↔ pixels
  x(f) { return LEFT + (f - this.from) / (this.to - this.from) * (this.width - LEFT - RIGHT); }

  frame(x) { return this.from + (x - LEFT) / (this.width - LEFT - RIGHT) * (this.to - this.from); }

  show(data, take) {
    const other = !this.data || this.data.first !== data.first || this.data.last !== data.last;
    this.data = data;
    this.take = take;
    if (!data) return;
    if (other || this.from === undefined) this.fit();
    // a chain of stages: a lane of frames for each
    this.rows = (data.stages || []).map((s) => ({ kind: 'stage', e: { id: `stage:${s.id}`, name: s.name }, s: { ...s, has: new Set(s.frames) } }));
    for (const e of [...data.elements, ...data.others]) {
      const lanes = e.lanes || [];
      const bar = e.kind === 'emitter', sensor = e.kind === 'sensor';
      if (!bar && !sensor && !lanes.length) continue;
      this.rows.push({ kind: bar ? 'bar' : sensor ? 'sensor' : 'head', e });
      for (const l of lanes) {
        l.keys.sort((a, b) => a.f - b.f);
        this.rows.push({ kind: 'lane', e, l });
      }
    }
    const still = new Set();
    for (const r of this.rows) if (r.l) for (const k of r.l.keys) if (this.chosen.has(mark(r.e.id, r.l.key, k.f))) still.add(mark(r.e.id, r.l.key, k.f));
    this.chosen = still;
    if (this.open) {
      const r = this.rows.find((q) => q.l && q.e.id === this.open.e.id && q.l.key === this.open.l.key);
      if (r) { this.open.e = r.e; this.open.l = r.l; } else this.close();
    }
    this.scroll = Math.max(0, Math.min(this.scroll, this.rows.length * LANE + LANE - (this.height - HEAD)));
    this.draw();
    this.tell();
  }

  fit() { this.from = this.data.first - 0.5; this.to = this.data.last + 0.5; this.draw(); }

  zoom(by, about) {
    const f = about === undefined ? this.at ?? this.data.first : about;
    const span = Math.max(2, Math.min(1e6, (this.to - this.from) * by));
    const t = (f - this.from) / (this.to - this.from);
    this.from = f - t * span;
    this.to = this.from + span;
    this.draw();
  }

  wheel(e) {
    if (!this.data) return;
    e.preventDefault();
    const p = this.point(e);
    if (e.ctrlKey || e.metaKey || e.altKey) { this.zoom(Math.exp(e.deltaY * 0.002), this.frame(Math.max(LEFT, p.x))); return; }
    if (e.shiftKey || Math.abs(e.deltaX) > Math.abs(e.deltaY)) {
      const d = (e.deltaX || e.deltaY) / (this.width - LEFT - RIGHT) * (this.to - this.from);
      this.from += d;
      this.to += d;
    } else if (this.open) {
      this.stretch(Math.exp(e.deltaY * 0.002), p.y);
    } else {
      this.scroll = Math.max(0, Math.min(Math.max(0, (this.rows.length + 1) * LANE - (this.height - HEAD)), this.scroll + e.deltaY));
    }
    this.draw();
  }

  point(e) { const b = this.canvas.getBoundingClientRect(); return { x: e.clientX - b.left, y: e.clientY - b.top }; }

  draw() {
    if (this.due) return;
    this.due = requestAnimationFrame(() => { this.due = 0; this.paint(); });
  }

  colours() {
    const s = getComputedStyle(document.documentElement);
    const v = (n) => s.getPropertyValue(n).trim();
    return { ground: v('--panel'), line: v('--line'), ink: v('--ink'), dim: v('--dim'), accent: v('--accent'), raised: v('--raised'), fault: v('--fault') };
  }

  paint() {
    if (!this.data || !this.width) return;
    this.drawn++;
    const c = this.c, k = this.k = this.colours();
    c.clearRect(0, 0, this.width, this.height);
    c.lineWidth = 1;
    c.font = '11.5px "Plex Sans", sans-serif';
    c.textBaseline = 'middle';
    this.ruler();
    if (this.open) this.curve();
    else {
      c.save();
      c.beginPath();
      c.rect(0, HEAD, this.width, this.height - HEAD);
      c.clip();
      this.cache(HEAD - this.scroll);
      this.rows.forEach((r, n) => {
        const y = HEAD + LANE * (n + 1) - this.scroll;
        if (y > this.height || y + LANE < HEAD) return;
        this.row(r, y);
      });
      c.restore();
    }
    if (this.box) {
      c.strokeStyle = k.accent;
      c.strokeRect(this.box.x0 + 0.5, this.box.y0 + 0.5, this.box.x1 - this.box.x0, this.box.y1 - this.box.y0);
    }
    this.playhead();
    if (this.tip) this.bubble(this.tip);
  }

  ruler() {
    const c = this.c, k = this.k, n = this.to - this.from;
    let step = 1;
    for (const s of [1, 2, 5, 10, 12, 24, 50, 100, 200, 500, 1000, 5000, 10000, 50000, 100000]) { step = s; if (n / s * 36 < this.width - LEFT) break; }
    // frames outside the shot lie in the shade
    c.fillStyle = k.raised;
    const a = Math.max(LEFT, this.x(this.data.first - 0.5)), b = Math.min(this.width - RIGHT, this.x(this.data.last + 0.5));
    c.fillRect(a, HEAD, Math.max(0, b - a), this.height);
    c.textAlign = 'center';
    for (let f = Math.ceil(this.from / step) * step; f <= this.to; f += step) {
      const x = Math.round(this.x(f)) + 0.5;
      if (x < LEFT) continue;
      c.strokeStyle = k.line;
      c.beginPath(); c.moveTo(x, HEAD - 5); c.lineTo(x, this.height); c.stroke();
      c.fillStyle = k.dim;
      c.fillText(f, x, 8);
    }
    c.textAlign = 'left';
  }

  label(y, text, strong, indent) {
    const c = this.c, k = this.k;
    c.fillStyle = k.ground;
    c.fillRect(0, y, LEFT - 4, LANE);
    c.strokeStyle = k.line;
    c.beginPath(); c.moveTo(0, y + LANE - 0.5); c.lineTo(this.width, y + LANE - 0.5); c.stroke();
    c.fillStyle = strong ? k.ink : k.dim;
    let t = text;
    while (t.length > 2 && c.measureText(t).width > LEFT - 16 - indent) t = t.slice(0, -2);
    c.fillText(t === text ? t : t + '…', 10 + indent, y + LANE / 2);
  }

  // Frames of the chosen take: filled current, hatched stale, outline missing.
  cache(y) {
    const t = this.take;
    this.label(y, t ? `take ${t.number}, ${t.state}` : 'no take yet', false, 0);
    if (!t) return;
    this.frames(y, t, this.has && this.hasOf === t ? this.has : (this.hasOf = t, this.has = new Set(t.frames)));
  }

  // A take has frames more than before.
  arrived() { this.hasOf = null; this.draw(); }

  frames(y, t, has) {
    const c = this.c, k = this.k;
    const w = Math.max(1, this.x(1) - this.x(0)), gap = w > 4 ? 1 : 0;
    for (let f = Math.max(t.first, Math.floor(this.from)); f <= Math.min(Math.max(t.last, this.data.last), this.to); f++) {
      const inTake = f >= t.first && f <= t.last;
      if (!has.has(f) && !inTake) continue;
      const x = this.x(f) - w / 2 + gap / 2;
      if (x < LEFT - w) continue;
      if (has.has(f) && t.state !== 'stale') { c.fillStyle = k.dim; c.fillRect(x, y + 6, w - gap, 9); continue; }
      c.strokeStyle = has.has(f) ? k.dim : t.job ? k.accent : k.line;
      c.strokeRect(x + 0.5, y + 6.5, Math.max(1, w - gap - 1), 8);
      if (has.has(f)) { c.beginPath(); c.moveTo(x, y + 15); c.lineTo(x + w - gap, y + 6); c.stroke(); }
    }
  }

  row(r, y) {
    const c = this.c, k = this.k;
    if (r.kind === 'stage') {
      this.label(y, `${r.s.name}, ${r.s.job ? 'being made' : r.s.state}`, false, 0);
      this.frames(y, r.s, r.s.has);
      return;
    }
    if (r.kind !== 'lane') {
      this.label(y, r.e.name, true, 0);
      if (r.kind === 'sensor') this.read(r, y);
      if (r.kind === 'bar' && !r.e.muted && r.e.end >= r.e.begin) {
        const shift = this.shiftOf(r);
        const a = Math.max(LEFT, this.x(r.e.begin - 0.5 + (shift.begin || 0))), b = Math.min(this.width - RIGHT, this.x(r.e.end + 0.5 + (shift.end || 0)));
        c.fillStyle = k.line;
        c.strokeStyle = k.dim;
        if (b > a) { c.fillRect(a, y + 6, b - a, 9); c.strokeRect(a + 0.5, y + 6.5, b - a - 1, 8); }
      }
      return;
    }
    this.label(y, r.l.label, false, 10);
    const keys = this.preview(r);
    const parts = r.l.vector ? 3 : 1;
    const range = this.range(r, keys);
    const yy = (v) => y + LANE - 4 - (v - range.lo) / range.span * (LANE - 8);
    for (let p = 0; p < parts; p++) this.line(r, keys, p, yy, p ? k.line : k.dim, 3);
    this.heads(r, keys, 0, yy);
  }

  // what a draft's sensors read at a frame, in place of the take's; null: it has ended
  sense(frame, list) {
    if (!list) this.live = null;
    else {
      this.live ??= new Map();
      for (const s of list) {
        const read = this.live.get(s.id) || [];
        read.length = Math.max(0, frame - this.data.first); // a draft that begins anew forgets what came after
        read.push(s.read);
        this.live.set(s.id, read);
      }
    }
    this.draw();
  }

  // what a sensor read in the take or the draft, from nothing to full, and a tick wherever
  // it fired
  read(r, y) {
    const c = this.c, k = this.k;
    const s = this.live ? { read: this.live.get(r.e.id) || [] } : this.take?.senses?.find((q) => q.id === r.e.id);
    if (!s) return;
    if (this.live && s.read.length) this.reads(s.read[s.read.length - 1], y);
    const yy = (v) => y + LANE - 4 - Math.max(0, Math.min(1, v)) * (LANE - 8);
    c.strokeStyle = k.dim;
    c.beginPath();
    let pen = false;
    s.read.forEach((v, i) => {
      const x = this.x(this.data.first + i);
      if (x < LEFT || x > this.width - RIGHT) return;
      if (pen) c.lineTo(x, yy(v)); else c.moveTo(x, yy(v));
      pen = true;
    });
    c.stroke();
    c.strokeStyle = k.accent;
    s.read.forEach((v, i) => {
      if (v < 0.5 || (i && s.read[i - 1] >= 0.5)) return;
      const x = Math.round(this.x(this.data.first + i)) + 0.5;
      if (x < LEFT || x > this.width - RIGHT) return;
      c.beginPath(); c.moveTo(x, y + 3); c.lineTo(x, y + LANE - 3); c.stroke();
    });
  }

  // the reading of now, at the lane's end
  reads(v, y) {
    const c = this.c;
    c.fillStyle = this.k.ink;
    c.textAlign = 'right';
    c.fillText(v.toFixed(2), this.width - RIGHT - 4, y + LANE / 2);
    c.textAlign = 'left';
  }

  range(r, keys) {
    let lo = Infinity, hi = -Infinity;
    const parts = r.l.vector ? 3 : 1;
    for (const q of keys) for (let p = 0; p < parts; p++) { if (q.v[p] < lo) lo = q.v[p]; if (q.v[p] > hi) hi = q.v[p]; }
    if (r.l.after === 'onward') for (let p = 0; p < parts; p++) { const v = at(keys, p, this.data.last, 'onward'); lo = Math.min(lo, v); hi = Math.max(hi, v); }
    return { lo, hi, span: hi - lo || 1 };
  }

  // a curve at every step pixels; with noise the server's values a frame
  line(r, keys, p, yy, colour, step) {
    const c = this.c;
    c.strokeStyle = colour;
    c.beginPath();
    let pen = false;
    if (r.l.noise && r.l.curve && keys === r.l.keys && !p) {
      r.l.curve.forEach((v, i) => { const x = this.x(this.data.first + i); if (x < LEFT || x > this.width) return; if (pen) c.lineTo(x, yy(v)); else c.moveTo(x, yy(v)); pen = true; });
    } else {
      for (let x = LEFT; x <= this.width - RIGHT; x += step) { const v = yy(at(keys, p, this.frame(x), r.l.after || '')); if (pen) c.lineTo(x, v); else c.moveTo(x, v); pen = true; }
    }
    c.stroke();
  }

  heads(r, keys, p, yy, big) {
    const c = this.c, k = this.k;
    let last = -99, n = Math.max(0, after(keys, this.from) - 1);
    for (; n < keys.length && keys[n].f <= this.to; n++) {
      const q = keys[n], x = this.x(q.f);
      const on = this.chosen.has(mark(r.e.id, r.l.key, q.was ?? q.f));
      if (x < LEFT - 3 || (x - last < 2 && !on)) continue;
      last = x;
      c.fillStyle = on ? k.accent : k.ink;
      c.beginPath();
      c.ellipse(x, yy(q.v[p]), big ? 4.5 : 3.2, big ? 3.4 : 2.3, -0.35, 0, 7);
      c.fill();
    }
  }

  playhead() {
    if (this.at === undefined) return;
    const x = Math.round(this.x(this.at)) + 0.5, c = this.c;
    if (x < LEFT || x > this.width) return;
    c.strokeStyle = c.fillStyle = this.k.accent;
    c.beginPath(); c.moveTo(x, 0); c.lineTo(x, this.height); c.stroke();
    c.beginPath(); c.moveTo(x - 5, 0); c.lineTo(x + 5, 0); c.lineTo(x, 7); c.fill();
  }

  bubble(t) {
    const c = this.c, k = this.k;
    c.font = '11.5px "Plex Mono", monospace';
    const w = c.measureText(t.text).width + 12;
    const x = Math.min(this.width - w - 4, t.x + 12), y = Math.max(2, Math.min(this.height - 20, t.y - 24));
    c.fillStyle = k.raised;
    c.strokeStyle = k.dim;
    c.fillRect(x, y, w, 18);
    c.strokeRect(x + 0.5, y + 0.5, w, 18);
    c.fillStyle = k.ink;
    c.fillText(t.text, x + 6, y + 9.5);
  }

  number(r, v) {
    const s = r.l.scale || 1;
    return (r.l.vector ? v.slice(0, 3) : [v[0]]).map((n) => String(+(n / s).toPrecision(6))).join(', ') + (r.l.unit ? ' ' + r.l.unit : '');
  }

  // What a drag under way does to a row's keys.
  preview(r) {
    const d = this.drag;
    if (!d || d.kind !== 'keys' || !d.rows.has(r)) return r.l.keys;
    if (!d.by && !d.dv) return r.l.keys;
    const stay = [], go = [];
    for (const q of r.l.keys) {
      const on = d.all.has(r) || this.chosen.has(mark(r.e.id, r.l.key, q.f));
      if (!on || d.copy) stay.push(q);
      if (on) go.push({ ...q, was: q.f, f: d.scale ? d.scale(q.f) : q.f + d.by, v: d.dv ? q.v.map((v, p) => (p === d.part ? v + d.dv : v)) : q.v });
    }
    const taken = new Set(go.map((q) => q.f));
    return stay.filter((q) => !taken.has(q.f)).concat(go).sort((a, b) => a.f - b.f);
  }

  shiftOf(r) {
    const d = this.drag;
    if (!d || d.copy) return {};
    if (d.kind === 'bar' && d.row === r) return { begin: d.side !== 'end' ? d.by : 0, end: d.side !== 'begin' ? d.by : 0 };
    if (d.kind === 'keys' && d.bars && d.bars.has(r)) return { begin: d.by, end: d.by };
    return {};
  }

  // what lies under the pointer
  hit(p) {
    if (this.open) return this.hitCurve(p);
    const n = Math.floor((p.y - HEAD + this.scroll) / LANE) - 1;
    const r = this.rows && this.rows[n];
    if (p.y < HEAD || !r) return { kind: 'time' };
    if (p.x < LEFT) return { kind: 'name', r };
    if (r.kind === 'bar') {
      const a = this.x(r.e.begin - 0.5), b = this.x(r.e.end + 0.5);
      if (p.x > a - 5 && p.x < b + 5) return { kind: 'bar', r, side: Math.abs(p.x - a) < 6 ? 'begin' : Math.abs(p.x - b) < 6 ? 'end' : '' };
    }
    if (r.kind === 'lane') {
      const q = this.nearest(r, p.x);
      if (q) return { kind: 'key', r, q };
      return { kind: 'lane', r };
    }
    return { kind: 'time', r };
  }

  nearest(r, x) {
    const n = after(r.l.keys, this.frame(x));
    let best = null, gap = 6;
    for (const q of [r.l.keys[n - 1], r.l.keys[n]]) if (q && Math.abs(this.x(q.f) - x) < gap) { best = q; gap = Math.abs(this.x(q.f) - x); }
    return best;
  }

  press(e) {
    if (e.button !== 0 || !this.data) return;
    this.canvas.setPointerCapture(e.pointerId);
    const p = this.point(e), h = this.hit(p);
    this.start = p;
    const copy = e.ctrlKey || e.metaKey;
    if (h.kind === 'key' || h.kind === 'point') {
      const m = mark(h.r.e.id, h.r.l.key, h.q.f);
      if (e.shiftKey) { if (this.chosen.has(m)) this.chosen.delete(m); else this.chosen.add(m); } else if (!this.chosen.has(m)) this.chosen = new Set([m]);
      const rows = new Set((this.open ? [h.r] : this.rows).filter((r) => r.l && r.l.keys.some((q) => this.chosen.has(mark(r.e.id, r.l.key, q.f)))));
      this.drag = { kind: 'keys', rows, all: new Set(), by: 0, dv: 0, copy, q: h.q, r: h.r, part: h.part || 0, updown: h.kind === 'point', free: e.altKey };
    } else if (h.kind === 'slope') {
      this.drag = { kind: 'slope', ...h };
    } else if (h.kind === 'name' && h.r.kind === 'lane') {
      this.drag = { kind: 'keys', rows: new Set([h.r]), all: new Set([h.r]), by: 0, copy, r: h.r };
    } else if (h.kind === 'name') {
      const rows = new Set(this.rows.filter((r) => r.l && r.e.id === h.r.e.id));
      this.drag = { kind: 'keys', rows, all: rows, bars: new Set([h.r]), by: 0, copy: false, r: h.r };
      this.on.choose(h.r.e.id);
    } else if (h.kind === 'bar') {
      this.drag = { kind: 'bar', row: h.r, side: h.side, by: 0 };
    } else if ((h.kind === 'lane' || h.kind === 'empty') && (e.shiftKey || e.altKey)) {
      this.drag = { kind: 'box', add: e.shiftKey };
      this.box = { x0: p.x, y0: p.y, x1: p.x, y1: p.y };
    } else {
      this.drag = { kind: 'time' };
      this.on.seek(Math.round(this.frame(p.x)));
    }
    this.tell();
    this.draw();
  }

  move(e) {
    if (!this.data) return;
    const p = this.point(e), d = this.drag;
    if (!d) { this.hover(p); return; }
    const by = this.frame(p.x) - this.frame(this.start.x);
    switch (d.kind) {
      case 'time': this.on.seek(Math.round(this.frame(p.x))); return;
      case 'box': this.box = { x0: Math.min(p.x, this.start.x), x1: Math.max(p.x, this.start.x), y0: Math.min(p.y, this.start.y), y1: Math.max(p.y, this.start.y) }; this.catch(d.add); break;
      case 'slope': this.slopeTo(d, p); break;
      default:
        d.by = e.altKey || d.free ? by : Math.round(by);
        if (d.updown) d.dv = e.shiftKey ? 0 : this.value(p.y) - this.value(this.start.y);
        if (d.q) this.tip = { x: p.x, y: p.y, text: `frame ${+(d.q.f + d.by).toFixed(3)}: ${this.number(d.r, d.q.v.map((v, i) => (i === d.part ? v + (d.dv || 0) : v)))}` };
        else this.tip = { x: p.x, y: p.y, text: `${d.by > 0 ? '+' : ''}${+d.by.toFixed(3)} frames` };
    }
    this.draw();
  }

  hover(p) {
    const h = this.hit(p);
    const had = !!this.tip;
    this.tip = null;
    if ((h.kind === 'key' || h.kind === 'point') && h.q) this.tip = { x: p.x, y: p.y, text: `frame ${h.q.f}: ${this.number(h.r, h.q.v)}` };
    else if (h.r && h.r.l && p.x >= LEFT) {
      const f = Math.round(this.frame(p.x));
      this.tip = { x: p.x, y: p.y, text: `frame ${f}: ${this.number(h.r, [0, 1, 2].map((x) => at(h.r.l.keys, x, f, h.r.l.after || '')))}${h.r.l.noise ? ' and noise' : ''}` };
    }
    this.canvas.style.cursor = h.kind === 'key' || h.kind === 'point' || h.kind === 'slope' ? 'move' : h.kind === 'bar' ? (h.side ? 'ew-resize' : 'grab') : h.kind === 'name' ? 'grab' : 'default';
    if (this.tip || had) this.draw();
  }

  // keys within the frame drawn with the pointer
  catch(add) {
    if (!add) this.chosen = new Set();
    const b = this.box;
    this.rows.forEach((r, n) => {
      const y = HEAD + LANE * (n + 1) - this.scroll + LANE / 2;
      if (!r.l || (!this.open && (y < b.y0 || y > b.y1)) || (this.open && r.l !== this.open.l)) return;
      for (const q of r.l.keys) { const x = this.x(q.f); if (x >= b.x0 && x <= b.x1) this.chosen.add(mark(r.e.id, r.l.key, q.f)); }
    });
  }

  lift() {
    const d = this.drag;
    if (!d) return;
    if (d.kind === 'keys' && (d.by || d.dv)) {
      const changes = [], bars = [];
      const moved = new Set();
      for (const r of d.rows) {
        const now = this.preview(r);
        const drop = [], set = [];
        for (const q of now) if (q.was !== undefined) { set.push(plain(q)); moved.add(mark(r.e.id, r.l.key, q.f)); if (!d.copy && !now.some((o) => o.f === q.was)) drop.push(q.was); }
        changes.push({ el: r.e.id, key: r.l.key, drop, set });
        r.l.keys = now.map((q) => ({ ...q, was: undefined }));
      }
      for (const r of d.bars || []) if (r.kind === 'bar') bars.push({ el: r.e.id, begin: d.by, end: d.by });
      this.chosen = moved;
      this.on.edit({ label: d.copy ? 'copy keys' : 'move keys', changes, bars });
    } else if (d.kind === 'bar' && d.by) {
      this.on.edit({ label: 'move in time', changes: [], bars: [{ el: d.row.e.id, begin: d.side !== 'end' ? d.by : 0, end: d.side !== 'begin' ? d.by : 0 }] });
      d.row.e.begin += d.side !== 'end' ? d.by : 0;
      d.row.e.end += d.side !== 'begin' ? d.by : 0;
    } else if (d.kind === 'slope') {
      this.on.edit({ label: 'bend curve', changes: [{ el: d.r.e.id, key: d.r.l.key, drop: [], set: [plain(d.q)] }], bars: [] });
    }
    this.drag = this.box = this.tip = null;
    this.draw();
    this.tell();
  }

  twice(e) {
    const h = this.hit(this.point(e));
    if (this.open) {
      if (h.kind === 'empty') { // a key on the curve, there
        const f = Math.round(this.frame(this.point(e).x)), l = this.open.l;
        this.on.edit({ label: 'key', changes: [{ el: this.open.e.id, key: l.key, drop: [], set: [{ f, v: [0, 1, 2].map((x) => at(l.keys, x, f, l.after || '')), way: '', in: [0, 0, 0], out: [0, 0, 0] }] }], bars: [] });
      }
      return;
    }
    if (h.r && h.r.l) this.show1(h.r);
  }

  // ---- the curve of one lane

  show1(r) {
    this.open = { e: r.e, l: r.l };
    const q = this.range(r, r.l.keys);
    const pad = (q.hi - q.lo) * 0.15 || Math.abs(q.hi) * 0.3 || 1;
    this.lo = q.lo - pad;
    this.hi = q.hi + pad;
    this.on.opened(this.open);
    this.draw();
  }

  close() { this.open = null; this.on.opened(null); this.draw(); }

  value(y) { return this.hi - (y - HEAD - 6) / (this.height - HEAD - 12) * (this.hi - this.lo); }

  y(v) { return HEAD + 6 + (this.hi - v) / (this.hi - this.lo) * (this.height - HEAD - 12); }

  stretch(by, y) {
    const v = this.value(y);
    this.lo = v - (v - this.lo) * by;
    this.hi = v + (this.hi - v) * by;
  }

  curve() {
    const c = this.c, k = this.k, r = this.open;
    c.fillStyle = k.ground;
    c.fillRect(0, HEAD, LEFT - 4, this.height);
    // levels
    const raw = (this.hi - this.lo) / (r.l.scale || 1) / Math.max(2, this.height / 40);
    const step = 10 ** Math.floor(Math.log10(raw)) * ([1, 2, 5, 10].find((s) => s * 10 ** Math.floor(Math.log10(raw)) >= raw) || 10) * (r.l.scale || 1);
    c.textAlign = 'right';
    for (let v = Math.ceil(this.lo / step) * step; v <= this.hi; v += step) {
      const y = Math.round(this.y(v)) + 0.5;
      c.strokeStyle = k.line;
      c.beginPath(); c.moveTo(LEFT, y); c.lineTo(this.width, y); c.stroke();
      c.fillStyle = k.dim;
      c.fillText(String(+(v / (r.l.scale || 1)).toPrecision(6)), LEFT - 10, y);
    }
    c.textAlign = 'left';
    c.save();
    c.beginPath();
    c.rect(LEFT, HEAD, this.width - LEFT, this.height - HEAD);
    c.clip();
    const keys = this.preview(this.rows.find((q) => q.l === r.l) || r);
    const parts = r.l.vector ? 3 : 1;
    for (let p = 0; p < parts; p++) {
      c.setLineDash([[], [6, 3], [2, 3]][p]);
      c.lineWidth = 1.5;
      this.line(r, keys, p, (v) => this.y(v), k.dim, 2);
      c.setLineDash([]);
      c.lineWidth = 1;
      this.heads(r, keys, p, (v) => this.y(v), true);
      for (const h of this.handles(keys, p)) {
        c.strokeStyle = c.fillStyle = k.accent;
        c.beginPath(); c.moveTo(h.x0, h.y0); c.lineTo(h.x, h.y); c.stroke();
        c.fillRect(h.x - 3, h.y - 3, 6, 6);
      }
      if (parts === 3) { c.fillStyle = k.dim; c.fillText('xyz'[p], this.width - RIGHT - 10, this.y(at(keys, p, this.frame(this.width - RIGHT - 12), r.l.after || '')) - 8); }
    }
    c.restore();
  }

  // handles of chosen keys that run by their own slopes
  handles(keys, p) {
    const out = [], r = this.open;
    keys.forEach((q) => {
      if (q.way !== 'free' || !this.chosen.has(mark(r.e.id, r.l.key, q.was ?? q.f))) return;
      const x0 = this.x(q.f), y0 = this.y(q.v[p]);
      for (const side of [-1, 1]) {
        const m = (side < 0 ? q.in : q.out)[p] || 0;
        const dx = side * 42, dy = -m * 42 * side * (this.to - this.from) / (this.width - LEFT - RIGHT) / (this.hi - this.lo) * (this.height - HEAD - 12);
        const s = 42 / Math.hypot(dx, dy);
        out.push({ q, p, side, x0, y0, x: x0 + dx * s, y: y0 + dy * s });
      }
    });
    return out;
  }

  hitCurve(p) {
    const r = this.rows.find((q) => q.l === this.open.l) || this.open;
    const parts = r.l.vector ? 3 : 1;
    if (p.y < HEAD || p.x < LEFT) return { kind: 'time', r };
    for (let x = 0; x < parts; x++) for (const h of this.handles(r.l.keys, x)) if (Math.hypot(h.x - p.x, h.y - p.y) < 7) return { kind: 'slope', r, q: h.q, part: x, side: h.side };
    let best = null, gap = 8;
    for (const q of r.l.keys) for (let x = 0; x < parts; x++) { const g = Math.hypot(this.x(q.f) - p.x, this.y(q.v[x]) - p.y); if (g < gap) { gap = g; best = { kind: 'point', r, q, part: x }; } }
    return best || { kind: 'empty', r };
  }

  slopeTo(d, p) {
    const f = this.frame(p.x) - d.q.f, v = this.value(p.y) - d.q.v[d.part];
    if (f * d.side < 1e-3) return;
    const m = v / f;
    d.q.in = [...d.q.in];
    d.q.out = [...d.q.out];
    (d.side < 0 ? d.q.in : d.q.out)[d.part] = m;
    // both sides keep one direction until one is broken off with Alt
    if (!d.q.broken) (d.side < 0 ? d.q.out : d.q.in)[d.part] = m;
  }

  // ---- what the buttons do

  picked() {
    const out = [];
    for (const r of this.rows || []) if (r.l) for (const q of r.l.keys) if (this.chosen.has(mark(r.e.id, r.l.key, q.f))) out.push({ r, q });
    return out;
  }

  change(label, fn) {
    const by = new Map();
    for (const { r, q } of this.picked()) {
      const c = by.get(r) || { el: r.e.id, key: r.l.key, drop: [], set: [] };
      fn(c, q, r);
      by.set(r, c);
    }
    if (by.size) this.on.edit({ label, changes: [...by.values()], bars: [] });
  }

  drop() { this.change('delete keys', (c, q) => c.drop.push(q.f)); }

  way(w) {
    this.change('run on', (c, q, r) => {
      const k = plain({ ...q, way: w });
      if (w === 'free' && q.way !== 'free') { // begin with the slope that it has
        const e = 1e-3, m = [0, 1, 2].map((x) => (at(r.l.keys, x, q.f + e, '') - at(r.l.keys, x, q.f - e, '')) / (2 * e));
        k.in = k.out = m;
      }
      c.set.push(k);
    });
  }

  // stretches the chosen keys in time about the first of them
  stretchTime(by) {
    const list = this.picked();
    if (list.length < 2 || !(by > 0)) return;
    const base = Math.min(...list.map((x) => x.q.f));
    this.change('stretch keys', (c, q) => { const f = Math.round(base + (q.f - base) * by); c.drop.push(q.f); c.set.push({ ...plain(q), f }); });
  }

  all() { for (const r of this.open ? this.rows.filter((q) => q.l === this.open.l) : this.rows) if (r.l) for (const q of r.l.keys) this.chosen.add(mark(r.e.id, r.l.key, q.f)); this.draw(); this.tell(); }

  tell() { this.on.picked(this.chosen.size); }

  seek(frame) {
    this.at = frame;
    this.canvas.setAttribute('aria-valuenow', frame);
    if (this.data) { this.canvas.setAttribute('aria-valuemin', this.data.first); this.canvas.setAttribute('aria-valuemax', this.data.last); }
    this.draw();
  }
}

function plain(q) { return { f: q.f, v: q.v, way: q.way, in: q.in, out: q.out }; }
