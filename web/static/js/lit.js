// The picture of the Look station: asked for again and again until it has all
// its samples, from the beginning when anything changes. What it shows is told by
// what it is started with, the shot's revision included: the same again goes on.
const client = Math.random().toString(36).slice(2);

export class Lit {
  constructor(img, slug, on) { this.img = img; this.slug = slug; this.on = on; this.run = 0; this.layer = 'beauty'; this.stale = ''; this.of = ''; this.said = null; }

  stop() { this.run++; this.of = ''; }

  note(...said) { this.said = said; this.on.note(...said); }

  async start(take, frame, look, head) {
    const of = [take, frame, look, head, this.layer, this.stale].join('|');
    if (of === this.of) { if (this.said) this.on.note(...this.said); return; }
    this.of = of;
    const run = ++this.run;
    const box = this.img.parentElement.getBoundingClientRect();
    const width = Math.max(32, Math.min(1280, Math.round(Math.min(box.width, box.height * 16 / 9) / 16) * 16));
    const scale = parseFloat(new URLSearchParams(location.search).get('quality')) || 1;
    this.note(`Lighting frame ${frame} …`);
    for (;;) {
      let r, body;
      try {
        r = await fetch(`/shots/${this.slug}/preview?take=${take}&frame=${frame}&look=${look}&width=${Math.round(width * scale)}&client=${client}&layer=${encodeURIComponent(this.layer)}`);
        body = r.ok ? await r.blob() : await r.text(); // the answer may break off as well
      } catch {
        if (run === this.run) { this.of = ''; this.note('The server does not answer: the picture stays as it is.', true); }
        return;
      }
      if (run !== this.run) return;
      if (r.status === 410) continue;
      if (!r.ok) { this.of = ''; this.note(body, true); return; }
      const h = (k) => r.headers.get('X-Zarf-' + k);
      const done = +h('Samples'), want = +h('Target'), over = h('Done') === 'true';
      this.on.layers(h('Layers').split(' '));
      const url = URL.createObjectURL(body);
      if (run !== this.run) { URL.revokeObjectURL(url); return; }
      const old = this.img.src;
      this.img.src = url;
      if (old.startsWith('blob:')) URL.revokeObjectURL(old);
      this.img.dataset.samples = done;
      const stage = { coarse: 'coarse first look', quick: `quick march, ${done} of ${want} samples of paths taken` }[h('Stage')];
      const bias = h('Method') === 'march' ? 'quick march: light scattered more than once is followed coarsely' : h('Noise') ? `noise ${(+h('Noise')).toFixed(3)}` : '';
      const notes = decodeURIComponent((h('Notes') || '').replace(/\+/g, ' '));
      this.note([stage || (over ? `${done} samples, done` : `${done} of ${want} samples`), bias, h('Spared') ? `${h('Spared')} % of samples spared` : '', `${h('Seconds')} s`, this.stale, notes].filter(Boolean).join(' · '), !!notes);
      if (over) return;
    }
  }
}
