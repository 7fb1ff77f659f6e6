// A live draft: frames of a coarse simulation, made in a process of its own,
// that follow every change of the shot.

// Opens a packet: two lengths, a JSON head, the bytes of a volume.
export function unpackDraft(buffer) {
  const v = new DataView(buffer), a = v.getUint32(0, true), b = v.getUint32(4, true);
  const head = JSON.parse(new TextDecoder().decode(new Uint8Array(buffer, 8, a)));
  return { head, data: new Uint8Array(buffer, 8 + a, b) };
}

export class Draft {
  // on: {slug, size, show(frame, volume), note(text, fault), loop(), keep(voxel), changed(running)}
  constructor(box, button, on) {
    this.on = on;
    this.box = box;
    this.button = button;
    this.voxel = 0;
    const q = (n) => box.querySelector(`[name=${n}]`);
    button.onclick = () => this.toggle();
    q('pause').onclick = () => this.pause(!this.paused);
    q('step').onclick = () => { this.pause(true, true); this.send('step'); };
    q('restart').onclick = () => { if (this.ws) { this.fault = ''; this.send('restart'); } else this.start(); };
    q('pace').onchange = () => this.send('pace', +q('pace').value);
    q('voxel').onchange = () => this.size(q('voxel').value);
    q('keep').onclick = () => on.keep(this.voxel, this.domain);
    q('end').onclick = () => this.stop();
    this.q = q;
  }

  get running() { return !!this.ws; }

  // the picture is the draft's, even if its process is gone
  get shown() { return !!this.ws || this.held; }

  toggle() { if (this.ws) this.stop(); else this.start(); }

  size(text) {
    const m = /^\s*([\d.,e-]+)\s*(mm|cm|m)?\s*$/.exec(text);
    if (text.trim() === '' || text.trim() === 'auto') { this.send('voxel', 0); return; }
    const v = m ? parseFloat(m[1].replace(',', '.')) * { mm: 1e-3, cm: 1e-2, m: 1 }[m[2] || 'm'] : NaN;
    if (!(v > 0)) { this.on.note(`“${text}” is no voxel size; give metres, or auto.`, true); return; }
    this.send('voxel', v);
  }

  start() {
    this.began = performance.now();
    this.frames = 0;
    this.fault = '';
    this.held = this.paused = false;
    this.asked = new Map(); // when a change was made, by how many there were
    this.changes = 0;
    const ws = this.ws = new WebSocket(`${location.protocol === 'https:' ? 'wss' : 'ws'}://${location.host}/shots/${this.on.slug}/draft?size=${this.on.size}&domain=${encodeURIComponent(this.domain = this.on.domain())}`);
    ws.binaryType = 'arraybuffer';
    ws.onopen = () => { this.send('pace', +this.q('pace').value); this.send('next'); };
    ws.onmessage = (e) => { if (this.ws === ws) this.take(unpackDraft(e.data)); };
    ws.onclose = () => { if (this.ws === ws) this.gone('The draft ended; nothing that was stored is lost.'); };
    this.state();
    this.say('beginning');
  }

  stop() {
    const ws = this.ws;
    this.ws = null;
    this.held = false;
    if (ws) ws.close();
    this.state();
    this.on.changed(false);
    this.on.note('');
  }

  // The process is gone; what it showed last stays until somebody goes on.
  gone(said) {
    if (!this.ws) return;
    this.ws = null;
    this.held = true;
    this.fault = said;
    this.state();
    this.box.hidden = false;
    this.say('stopped');
    this.on.note(`${said} Restart begins anew.`, true);
  }

  state() {
    this.button.setAttribute('aria-pressed', !!this.ws);
    this.box.hidden = !this.ws;
    this.q('pause').textContent = this.paused ? 'Go on' : 'Pause';
    if (this.ws) this.on.changed(true);
  }

  pause(on, quiet) {
    this.paused = on;
    if (!quiet) this.send(on ? 'pause' : 'go');
    if (!on) { this.fault = ''; this.on.note(''); }
    this.q('pause').textContent = on ? 'Go on' : 'Pause';
  }

  send(what, value) { if (this.ws && this.ws.readyState === 1) this.ws.send(JSON.stringify({ do: what, value: value || 0 })); }

  say(text) { this.q('said').textContent = text; }

  // the page sent a change: the time until it is seen is measured
  changing() { if (this.ws) { this.changes++; this.asked.set(this.changes, performance.now()); } }

  // the draft's voxels are of another size
  voxels(size) {
    this.voxel = size;
    if (document.activeElement !== this.q('voxel')) this.q('voxel').value = `${+size.toPrecision(3)} m`;
  }

  take({ head, data }) {
    switch (head.kind) {
      case 'begin':
        this.voxels(head.voxel);
        break;
      case 'frame': {
        this.frames++;
        if (this.frames === 1) this.first = performance.now() - this.began;
        this.frame = head.frame;
        this.head = head;
        for (const [n, t] of this.asked) if (n <= head.change) { this.latency = performance.now() - t; this.asked.delete(n); }
        const drawn = this.on.show(head.frame, { head: head.volume, data });
        this.rate = this.rate ? this.rate * 0.9 + head.rate * 0.1 : head.rate;
        if (head.sensors) this.on.senses(head.frame, head.sensors); // pictures between steps tell none
        this.say(`${this.rate.toFixed(0)} frames/s · ${Math.round(head.voxels / 1000)} k voxels · ${(head.fastest || 0).toFixed(head.fastest < 10 ? 1 : 0)} m/s`);
        // the next one once this is drawn and the page had its turn
        Promise.resolve(drawn).then(() => setTimeout(() => this.send('next'), 2));
        break;
      }
      case 'end':
        if (this.on.loop()) this.send('restart'); else this.say('at the last frame');
        break;
      case 'fault':
        this.fault = head.said;
        this.on.note(`The draft stands: ${head.said}`, true);
        this.say('stands still');
        break;
      case 'told':
        if (head.voxel) this.voxels(head.voxel);
        this.on.note(head.said);
        break;
      case 'gone':
        this.gone(head.said);
        break;
    }
  }
}
