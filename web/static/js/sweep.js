// The dialog of a sweep: one to three values, what it costs, then its takes.
export class Sweep {
  constructor(box, on) {
    this.box = box;
    this.on = on;
    this.form = box.querySelector('form');
    this.said = box.querySelector('[name=said]');
    this.rows = [...box.querySelectorAll('.sweepvalue')];
    this.form.addEventListener('change', (e) => { if (e.target.dataset.pick !== undefined) this.picked(e.target); this.cost(); });
    this.form.addEventListener('input', () => this.cost());
    this.form.addEventListener('submit', (e) => { e.preventDefault(); this.go(); });
    box.querySelector('[name=cancel]').onclick = () => box.close();
  }

  open() { this.box.showModal(); this.cost(); }

  // a value was chosen: from half to twice what it is
  picked(s) {
    const row = s.closest('.sweepvalue'), o = s.selectedOptions[0], get = (n) => row.querySelector(`[name=${n}]`);
    if (!o || !o.value) { get('unit').textContent = ''; return; }
    const is = +o.dataset.is;
    get('from').value = +(is === 0 ? 0 : is * 0.5).toPrecision(3);
    get('to').value = +(is === 0 ? 1 : is * 2).toPrecision(3);
    get('unit').textContent = `${o.dataset.unit} · now ${+is.toPrecision(4)}`;
  }

  body() {
    const num = (e) => parseFloat(e.value.replace(',', '.'));
    const f = this.form, values = [];
    for (const row of this.rows) {
      const get = (n) => row.querySelector(`[name=${n}]`), o = get('value').selectedOptions[0];
      if (!o || !o.value) continue;
      const [el, key, part] = JSON.parse(o.value), k = +o.dataset.scale;
      values.push({ el, key, part, from: num(get('from')) * k, to: num(get('to')) * k, steps: parseInt(get('steps').value, 10) });
    }
    return JSON.stringify({ voxel: num(f.voxel) || 0, from: parseInt(f.first.value, 10), to: parseInt(f.last.value, 10), values });
  }

  cost() {
    clearTimeout(this.wait);
    this.wait = setTimeout(async () => {
      if (!this.rows.some((r) => r.querySelector('[name=value]').value)) { this.said.textContent = 'Choose a value.'; return; }
      const r = await fetch(`/shots/${this.on.slug}/sweep/cost`, { method: 'POST', body: new URLSearchParams({ body: this.body() }) });
      this.said.textContent = await r.text();
      this.said.classList.toggle('fault', !r.ok);
      this.form.querySelector('[name=start]').disabled = !r.ok;
    }, 120);
  }

  async go() {
    await this.on.post('sweep', { body: this.body() });
    this.box.close();
  }
}
