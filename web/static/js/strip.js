// Frames that were rendered, as a strip that plays while others are made.
class FilmStrip extends HTMLElement {
  static observedAttributes = ['data-frames'];

  attributeChangedCallback(name, old) { if (old !== null && this.isConnected) this.build(); }

  connectedCallback() {
    if (!this.firstChild) this.build();
    new MutationObserver(() => { if (!this.firstChild) this.build(); }).observe(this, { childList: true });
  }

  build() {
    const playing = !!this.timer;
    this.stop();
    this.replaceChildren();
    const frames = this.dataset.frames.split(' ').map(Number);
    const img = document.createElement('img'), bar = document.createElement('div');
    const name = document.createElement('a'), go = document.createElement('button'), at = document.createElement('input');
    img.width = 240;
    img.alt = '';
    bar.className = 'stripbar';
    go.type = 'button';
    go.className = 'btn btn-quiet';
    go.textContent = 'Play';
    at.type = 'range';
    at.min = '0';
    at.max = String(frames.length - 1);
    at.setAttribute('aria-label', 'Rendered frame');
    name.target = '_blank';
    const show = (n) => {
      at.value = String(n);
      img.src = `${this.dataset.base}${frames[n]}?small=1`;
      name.href = this.dataset.base + frames[n];
      name.textContent = frames[n];
      name.title = `Open frame ${frames[n]} as it was written`;
    };
    at.oninput = () => show(+at.value);
    go.onclick = () => {
      if (this.timer) { this.stop(); go.textContent = 'Play'; return; }
      go.textContent = 'Pause';
      this.timer = setInterval(() => { if (img.complete) show((+at.value + 1) % frames.length); }, 1000 / +this.dataset.rate);
    };
    this.append(img, bar);
    bar.append(go, at, name);
    show(frames.length - 1);
    if (playing) go.click();
  }

  stop() { clearInterval(this.timer); this.timer = 0; }

  disconnectedCallback() { this.stop(); }
}
customElements.define('film-strip', FilmStrip);
