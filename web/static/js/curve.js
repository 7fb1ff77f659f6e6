// Values between keys, as the server works them out; noise is added there only.
const slope = (keys, n, x, free) => {
  const k = keys[n];
  if (k.way === 'free') return free;
  if (k.way !== 'through' || n === 0 || n === keys.length - 1) return 0;
  const h0 = k.f - keys[n - 1].f, h1 = keys[n + 1].f - k.f;
  const c0 = (k.v[x] - keys[n - 1].v[x]) / h0, c1 = (keys[n + 1].v[x] - k.v[x]) / h1;
  if (c0 * c1 <= 0) return 0;
  const w0 = 2 * h1 + h0, w1 = h1 + 2 * h0;
  return (w0 + w1) / (w0 / c0 + w1 / c1);
};

// after is the index of the first key later than frame.
export function after(keys, frame) {
  let lo = 0, hi = keys.length;
  while (lo < hi) { const m = (lo + hi) >> 1; if (keys[m].f <= frame) lo = m + 1; else hi = m; }
  return lo;
}

export function at(keys, x, frame, mode) {
  const first = keys[0], last = keys[keys.length - 1], span = last.f - first.f;
  if (mode && span > 0 && frame > last.f) {
    const n = Math.floor((frame - first.f) / span);
    let f = frame - n * span;
    if (mode === 'mirror' && n % 2) f = last.f - (f - first.f);
    const v = at(keys, x, f, '');
    return mode === 'onward' ? v + n * (last.v[x] - first.v[x]) : v;
  }
  const n = after(keys, frame);
  if (n === 0) return first.v[x];
  const a = keys[n - 1];
  if (n === keys.length || a.way === 'hold' || a.f === frame) return a.v[x];
  const b = keys[n], d = b.f - a.f, t = (frame - a.f) / d, chord = (b.v[x] - a.v[x]) / d;
  if (a.way === 'ramp') return a.v[x] + chord * (frame - a.f);
  const m0 = slope(keys, n - 1, x, a.out[x] || 0), m1 = b.way === 'ramp' ? chord : slope(keys, n, x, b.in[x] || 0);
  const t2 = t * t, t3 = t2 * t;
  return (2 * t3 - 3 * t2 + 1) * a.v[x] + (t3 - 2 * t2 + t) * d * m0 + (3 * t2 - 2 * t3) * b.v[x] + (t3 - t2) * d * m1;
}
