// A handover that is open: the receiver's checklist, what its files read as,
// the flipbook's player, and pictures laid over something.
export class Handed {
  constructor(pane, on) {
    this.pane = pane;
    this.on = on;
    document.addEventListener('click', (e) => {
      const a = e.target.closest('[data-hand]');
      if (!a || e.ctrlKey || e.metaKey || e.shiftKey) return;
      e.preventDefault();
      this.open(+a.dataset.hand);
    });
    pane.addEventListener('click', (e) => {
      const tab = e.target.closest('[data-tab]');
      if (tab) this.tab(tab.dataset.tab);
      if (e.target.closest('[data-close-hand]')) this.close();
      if (e.target.closest('.comppanel [name=play]')) this.play();
    });
    for (const kind of ['input', 'change']) pane.addEventListener(kind, (e) => { if (e.target.closest('[data-panel]')) this.shown(e.target.closest('[data-panel]')); });
    const q = new URLSearchParams(location.search);
    if (+q.get('hand')) this.open(+q.get('hand'), q.get('tab'));
  }

  async open(id, tab) {
    this.stop();
    const r = await fetch(`/shots/${this.on.slug}/handover/${id}`);
    const text = await r.text();
    if (!r.ok) { this.on.note(text, true); return; }
    this.id = id;
    this.pane.innerHTML = text;
    this.pane.hidden = false;
    const tabs = [...this.pane.querySelectorAll('[data-tab]')].map((b) => b.dataset.tab);
    this.tab(tabs.includes(tab) ? tab : tabs.includes('play') ? 'play' : tabs.includes('comp') ? 'comp' : 'list');
  }

  close() {
    this.stop();
    this.pane.hidden = true;
    this.pane.replaceChildren();
    this.address(null, null);
  }

  address(hand, tab) {
    const q = new URLSearchParams(location.search);
    for (const [k, v] of [['hand', hand], ['tab', tab]]) if (v === null) q.delete(k); else q.set(k, v);
    history.replaceState(null, '', location.pathname + (q.size ? '?' + q : ''));
  }

  tab(name) {
    this.stop();
    for (const b of this.pane.querySelectorAll('[data-tab]')) b.setAttribute('aria-selected', b.dataset.tab === name);
    for (const s of this.pane.querySelectorAll('[data-panel]')) {
      s.hidden = s.dataset.panel !== name;
      if (!s.hidden) this.shown(s);
    }
    this.address(this.id, name);
  }

  shown(panel) {
    if (panel.dataset.panel === 'read') this.read(panel);
    if (panel.dataset.panel === 'comp') this.comp(panel);
  }

  // Sliders move faster than answers come: the last one counts.
  async read(panel) {
    const at = (name) => panel.querySelector(`[name=${name}]`);
    const want = `${panel.dataset.base}${at('file').value}${at('sample') ? `?sample=${at('sample').value}` : ''}`;
    this.wanted = want;
    if (this.reading) return;
    this.reading = true;
    const r = await fetch(want);
    const text = await r.text();
    this.reading = false;
    const box = panel.querySelector('.readback');
    if (r.ok) box.innerHTML = text; else box.textContent = text;
    if (this.wanted !== want) this.read(panel);
  }

  comp(panel) {
    const at = (name) => panel.querySelector(`[name=${name}]`);
    const img = at('comp'), own = at('alpha').querySelector('[selected]');
    const src = `${panel.dataset.base}${at('file').value}?under=${at('under').value}&alpha=${at('alpha').value}`;
    at('said').textContent = own && own.value !== at('alpha').value ? 'read as the other kind: this is what goes wrong' : '';
    if (img.getAttribute('src') === src) return;
    if (this.busy) { this.next = panel; return; }
    this.busy = true;
    const done = async () => {
      this.busy = false;
      if (this.next) { const p = this.next; this.next = null; this.comp(p); }
    };
    img.onload = done;
    img.onerror = async () => {
      const r = await fetch(src).catch(() => null);
      at('said').textContent = r && !r.ok ? await r.text() : '';
      done();
    };
    img.src = src;
  }

  play() {
    const panel = this.pane.querySelector('.comppanel'), go = panel.querySelector('[name=play]');
    if (this.timer) { this.stop(); return; }
    go.textContent = 'Pause';
    const at = panel.querySelector('[name=file]');
    this.timer = setInterval(() => {
      if (this.busy) return;
      at.value = (+at.value + 1) % (+at.max + 1);
      this.comp(panel);
    }, 1000 / +panel.dataset.rate);
  }

  stop() {
    clearInterval(this.timer);
    this.timer = 0;
    const go = this.pane.querySelector('.comppanel [name=play]');
    if (go) go.textContent = 'Play';
  }
}
