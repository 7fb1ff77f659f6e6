// References: clips and pictures kept with the shot, beside the picture or over
// it. A clip follows the score by seconds, whatever its own rate is.
import { Measure } from './measure.js';

export class Reference {
  constructor(pane, on) {
    this.pane = pane;
    this.on = on;
    this.box = pane.querySelector('.refshow');
    this.empty = this.box.firstElementChild;
    this.said = pane.querySelector('.refsaid');
    const $ = (n) => pane.querySelector(`[name=${n}]`);
    this.pick = $('clip');
    this.mode = $('mode');
    this.through = $('through');
    this.offset = $('offset');
    this.pick.onchange = () => this.open(this.pick.value);
    this.mode.onchange = () => this.lay();
    this.through.oninput = () => this.lay();
    this.offset.onchange = () => {
      const v = parseFloat(this.offset.value);
      if (Number.isNaN(v) || !this.clip) { this.said.textContent = 'The start is a number of seconds.'; return; }
      this.send(`clip/${this.clip.id}/offset`, { v });
    };
    this.measure = new Measure(pane, {
      slug: on.slug, send: (path, values) => this.send(path, values), clip: () => this.clip, media: () => this.media, scene: () => this.scene,
      frame: () => this.frame, go: on.go, take: on.take, say: (text) => { this.said.textContent = text; },
    });
    pane.querySelector('#reffile').onchange = (e) => { this.upload(e.target.files[0]); e.target.value = ''; };
    pane.querySelector('[data-remove]').onclick = () => { if (this.clip) this.send(`clip/${this.clip.id}/remove`, {}); };
    pane.querySelector('[data-close-reference]').onclick = () => this.toggle(false);
    document.querySelector('[data-reference]').onclick = () => this.toggle();
    on.drop.addEventListener('drop', (e) => {
      const f = [...(e.dataTransfer?.files || [])].find((x) => x.type.startsWith('video/') || (e.target.closest('#refpane') && x.type.startsWith('image/')));
      if (!f) return;
      e.preventDefault();
      this.toggle(true);
      this.upload(f);
    });
  }

  toggle(open) {
    const want = open === undefined ? this.pane.hidden : open;
    this.pane.hidden = !want;
    document.querySelector('[data-reference]').setAttribute('aria-expanded', want);
    if (this.media && this.media.pause) this.media.pause();
    if (want) { this.lay(); this.seek(this.frame ?? 1, false, 1); }
  }

  async send(path, values) {
    const r = await fetch(`/shots/${this.on.slug}/${path}`, { method: 'POST', headers: { 'X-Zarf-Page': this.on.mine() }, body: new URLSearchParams(values) });
    if (!r.ok) this.said.textContent = await r.text(); else this.on.reload();
  }

  upload(file) {
    if (!file) return;
    const x = new XMLHttpRequest(), body = new FormData();
    body.append('file', file);
    x.upload.onprogress = (p) => { this.said.textContent = `sent ${(p.loaded / 1e6).toFixed(1)} of ${(p.total / 1e6).toFixed(1)} MB`; };
    x.onload = () => {
      this.said.textContent = x.status === 200 ? '' : x.responseText;
      if (x.status === 200) { this.want = JSON.parse(x.responseText).id; this.on.reload(); }
    };
    x.onerror = () => { this.said.textContent = 'The server does not answer; nothing was kept.'; };
    x.open('POST', `/shots/${this.on.slug}/clip`);
    x.setRequestHeader('X-Zarf-Page', this.on.mine());
    x.send(body);
  }

  show(scene) {
    this.scene = scene;
    const key = JSON.stringify(scene.clips);
    if (key === this.key) { this.measure.show(); return; }
    this.key = key;
    this.pick.replaceChildren(...scene.clips.map((c) => { const o = document.createElement('option'); o.value = c.id; o.textContent = c.name; return o; }));
    const id = this.want || (this.clip && this.clip.id);
    this.want = null;
    const c = scene.clips.find((x) => x.id === id) || scene.clips[0];
    this.pick.value = c ? c.id : '';
    this.open(c ? c.id : '');
  }

  open(id) {
    const c = this.scene.clips.find((x) => x.id === id) || null;
    const same = this.clip && c && this.clip.id === c.id;
    this.clip = c;
    this.offset.value = c ? c.offset || 0 : 0;
    if (same) { this.seek(this.frame ?? this.scene.first, false, 1); this.measure.show(); return; }
    this.media = null;
    if (!c) { this.box.replaceChildren(this.empty); this.measure.show(); return; }
    const src = `/shots/${this.on.slug}/clip/${c.id}`;
    if (c.type.startsWith('video/')) {
      const v = document.createElement('video');
      v.muted = true;
      v.playsInline = true;
      v.preload = 'auto';
      v.src = src;
      v.onerror = () => { this.said.textContent = `This browser can't play ${c.name}: WebM (VP8, VP9) works everywhere, MP4 needs H.264.`; };
      v.onloadedmetadata = () => { this.said.textContent = `${v.videoWidth} × ${v.videoHeight}${Number.isFinite(v.duration) ? `, ${v.duration.toFixed(2)} s` : ''}; matched to the shot by seconds`; this.seek(this.frame ?? this.scene.first, false, 1); this.measure.show(true); };
      v.addEventListener('seeked', () => this.measure.draw());
      this.media = v;
      this.box.replaceChildren(v);
    } else {
      const i = document.createElement('img');
      i.src = src;
      i.alt = c.name;
      i.onerror = () => { this.said.textContent = `${c.name} can't be shown: the picture is broken.`; };
      this.said.textContent = c.type === 'image/gif' ? 'A GIF plays by itself.' : '';
      this.box.replaceChildren(i);
    }
    this.lay();
    this.measure.show();
  }

  lay() {
    const over = this.mode.value === 'over';
    this.pane.classList.toggle('over', over);
    const m = this.box.firstElementChild;
    if (m && m !== this.empty) m.style.opacity = over ? this.through.value / 100 : 1;
  }

  seek(frame, playing, speed) {
    this.frame = frame;
    const v = this.media;
    if (!v || this.pane.hidden || !this.scene || !(v.duration > 0)) return;
    let t = (frame - this.scene.first) / this.scene.rate + (this.clip.offset || 0);
    t = Math.max(0, Math.min(v.duration - 1e-3, t));
    if (playing) {
      v.playbackRate = speed;
      if (Math.abs(v.currentTime - t) > 0.2) v.currentTime = t;
      if (v.paused) v.play().catch(() => {});
    } else {
      v.pause();
      v.currentTime = t;
    }
  }
}
