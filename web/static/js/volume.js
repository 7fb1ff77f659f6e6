// Frames as the server lit and packed them: a head that tells of parts and of the light
// that they are in, and the parts' bytes.

const most = 300 << 20; // bytes that are kept

// Frames fetches frames and keeps the latest.
export class Frames {
  // light: what their light depends on
  constructor(slug, size, light) { this.slug = slug; this.size = size; this.light = light; this.as = ''; this.kept = new Map(); this.asked = new Map(); this.held = 0; }

  key(take, frame, size) { return `${take.key}/${frame}/${size || this.size}/${this.as}/${this.light()}`; }

  get(take, frame, size) { return this.kept.get(this.key(take, frame, size)); }

  fetch(take, frame, size = this.size) {
    const key = this.key(take, frame, size);
    if (this.kept.has(key)) return Promise.resolve(this.kept.get(key));
    if (this.asked.has(key)) return this.asked.get(key);
    const p = this.load(take, frame, size).then((v) => {
      this.asked.delete(key);
      this.keep(key, v);
      return v;
    }, (err) => { this.asked.delete(key); throw err; });
    this.asked.set(key, p);
    return p;
  }

  keep(key, v) {
    this.kept.set(key, v);
    this.held += v.data.length;
    for (const [k, old] of this.kept) {
      if (this.held <= most || k === key) break;
      this.kept.delete(k);
      this.held -= old.data.length;
    }
  }

  async load(take, frame, size) {
    const r = await fetch(`/shots/${this.slug}/volume/${take.number}/${frame}?size=${size}&as=${this.as}&key=${take.key}.${this.light()}`);
    if (!r.ok) throw new Error(await r.text());
    return { head: JSON.parse(decodeURIComponent(r.headers.get('X-Zarf-Volume').replace(/\+/g, ' '))), data: new Uint8Array(await r.arrayBuffer()) };
  }
}

// What a frame holds, for a note: whether there is anything to be seen, and of what kind.
export const holds = (v) => ({
  wet: v.head.parts.some((p) => p.liquid), loose: v.head.parts.some((p) => p.attributes), some: v.head.parts.some((p) => p.top > 0 || p.glow > 0 || p.vertices || p.particles),
});
