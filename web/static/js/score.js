// The score: a lane for each thing that happens in time, drawn as SVG, with
// note heads for keys. Frames are scrubbed by pressing and dragging.
const NS = 'http://www.w3.org/2000/svg';
const LEFT = 118, RIGHT = 12, HEAD = 18, LANE = 20;

export class Score {
  constructor(svg, on) {
    this.svg = svg;
    this.on = on;
    const scrub = (e) => { if (this.data) on.seek(this.frameAt(e.clientX)); };
    svg.addEventListener('pointerdown', (e) => { if (e.button === 0) { svg.setPointerCapture(e.pointerId); this.dragging = true; scrub(e); } });
    svg.addEventListener('pointermove', (e) => { if (this.dragging) scrub(e); });
    svg.addEventListener('pointerup', () => { this.dragging = false; });
    new ResizeObserver(() => this.show(this.data, this.take)).observe(svg);
  }

  x(frame) { return LEFT + (frame - this.data.first + 0.5) / (this.data.last - this.data.first + 1) * (this.width - LEFT - RIGHT); }

  frameAt(clientX) {
    const box = this.svg.getBoundingClientRect();
    const t = (clientX - box.left - LEFT) / (this.width - LEFT - RIGHT);
    return Math.max(this.data.first, Math.min(this.data.last, Math.floor(this.data.first + t * (this.data.last - this.data.first + 1))));
  }

  add(name, attrs, text) {
    const e = document.createElementNS(NS, name);
    for (const k in attrs) e.setAttribute(k, attrs[k]);
    if (text !== undefined) e.textContent = text;
    this.svg.append(e);
    return e;
  }

  show(data, take) {
    this.data = data;
    this.take = take;
    if (!data) return;
    const box = this.svg.getBoundingClientRect();
    this.width = box.width;
    this.height = box.height;
    if (!this.width) return;
    this.svg.replaceChildren();
    this.svg.setAttribute('viewBox', `0 0 ${this.width} ${this.height}`);
    this.ruler();
    let y = HEAD;
    y = this.cache(y);
    const room = () => y + LANE <= this.height;
    for (const e of data.elements) {
      if (e.kind === 'emitter' && room()) { this.bar(e, y); y += LANE; }
      for (const l of e.lanes || []) if (room()) { this.curve(e, l, y); y += LANE; }
    }
    this.head = this.add('line', { class: 'playhead', y1: 0, y2: this.height });
    this.flag = this.add('path', { class: 'playflag' });
    this.seek(this.frame ?? data.frame);
  }

  ruler() {
    const n = this.data.last - this.data.first + 1;
    let step = 1;
    for (const s of [1, 2, 5, 10, 12, 24, 50, 100, 200, 500, 1000, 5000, 10000]) { step = s; if (n / s * 34 < this.width - LEFT) break; }
    for (let f = Math.ceil(this.data.first / step) * step; f <= this.data.last; f += step) {
      const x = this.x(f);
      this.add('line', { class: 'rule5', x1: x, x2: x, y1: HEAD - 4, y2: this.height });
      this.add('text', { class: 'num', x, y: 11, 'text-anchor': 'middle' }, f);
    }
  }

  label(y, text) {
    this.add('line', { class: 'laneline', x1: 0, x2: this.width, y1: y + LANE - 0.5, y2: y + LANE - 0.5 });
    const t = this.add('text', { x: 10, y: y + 14 }, text);
    if (text.length > 19) t.textContent = text.slice(0, 18) + '…';
  }

  // Frames of the chosen take: filled current, hatched stale, outline missing.
  cache(y) {
    const t = this.take;
    this.label(y, t ? `take ${t.number}` : 'no take yet');
    if (!t) return y + LANE;
    const has = new Set(t.frames);
    const w = Math.max(1, (this.width - LEFT - RIGHT) / (this.data.last - this.data.first + 1));
    if (t.state === 'stale') {
      const defs = this.add('defs', {});
      defs.innerHTML = '';
      const p = document.createElementNS(NS, 'pattern');
      for (const [k, v] of [['id', 'hatch'], ['width', 5], ['height', 5], ['patternUnits', 'userSpaceOnUse'], ['patternTransform', 'rotate(45)']]) p.setAttribute(k, v);
      const r = document.createElementNS(NS, 'rect');
      for (const [k, v] of [['width', 2], ['height', 5], ['class', 'current']]) r.setAttribute(k, v);
      p.append(r);
      defs.append(p);
    }
    const gap = w > 4 ? 1 : 0;
    for (let f = this.data.first; f <= this.data.last; f++) {
      const inTake = f >= t.first && f <= t.last;
      if (!has.has(f) && !inTake) continue;
      const cls = has.has(f) ? (t.state === 'stale' ? 'stale' : 'current') : (t.job ? 'making' : 'missing');
      const r = this.add('rect', { class: cls, x: this.x(f) - w / 2 + gap / 2, y: y + 5, width: Math.max(0.5, w - gap), height: 10 });
      if (cls === 'stale') r.setAttribute('fill', 'url(#hatch)');
    }
    return y + LANE;
  }

  bar(e, y) {
    this.label(y, e.name);
    if (e.end < e.begin || e.muted) return;
    const a = this.x(e.begin), b = this.x(e.end);
    const half = (this.width - LEFT - RIGHT) / (this.data.last - this.data.first + 1) / 2;
    this.add('rect', { class: 'bar0', x: a - half, y: y + 6, width: Math.max(1, b - a + 2 * half), height: 8, rx: 2 });
  }

  curve(e, l, y) {
    this.label(y, `  ${l.label}`);
    const lo = Math.min(...l.curve), hi = Math.max(...l.curve), span = hi - lo || 1;
    const at = (v) => y + LANE - 4 - (v - lo) / span * (LANE - 8);
    this.add('path', { class: 'curve', d: l.curve.map((v, i) => `${i ? 'L' : 'M'}${this.x(this.data.first + i).toFixed(1)} ${at(v).toFixed(1)}`).join('') });
    for (const [f, v] of l.keys) {
      if (f < this.data.first || f > this.data.last) continue;
      const x = this.x(f), yy = at(v);
      this.add('ellipse', { class: 'head', cx: x, cy: yy, rx: 3, ry: 2.2, transform: `rotate(-20 ${x} ${yy})` });
    }
  }

  seek(frame) {
    this.frame = frame;
    if (!this.head || !this.data) return;
    const x = this.x(Math.max(this.data.first, Math.min(this.data.last, frame)));
    this.head.setAttribute('x1', x);
    this.head.setAttribute('x2', x);
    this.flag.setAttribute('d', `M${x - 5} 0h10l-5 7z`);
    this.svg.setAttribute('aria-valuenow', frame);
    this.svg.setAttribute('aria-valuemin', this.data.first);
    this.svg.setAttribute('aria-valuemax', this.data.last);
  }
}
