// The table of what keys do. A page hands over its rows; the table answers the
// keyboard, draws the list of keys, and refuses a key that is bound twice, so
// that none can take another's place unseen.
//
// A row: { keys, says, run } or, for what a control does by itself, { shown, says }.
// keys are values of KeyboardEvent.key; several that are said together share a
// row: { keys: { j: fn, o: fn }, says }.
const names = { ' ': 'space', ArrowLeft: '←', ArrowRight: '→', Escape: 'Esc', '-': '−' };

export class Actions {
  constructor(rows) {
    this.rows = rows;
    this.byKey = new Map();
    for (const r of rows) {
      for (const [key, run] of Object.entries(r.keys || {})) {
        if (this.byKey.has(key)) throw new Error(`the key “${key}” is bound twice: to “${this.byKey.get(key).says}” and to “${r.says}”`);
        this.byKey.set(key, { run, says: r.says });
      }
    }
  }

  // key runs what is bound to a key; false: nothing is.
  key(name) {
    const a = this.byKey.get(name);
    if (a) a.run();
    return !!a;
  }

  // has tells whether a key is bound.
  has(name) { return this.byKey.has(name); }

  // list fills a table body with a row for each action.
  list(body) {
    body.replaceChildren(...this.rows.map((r) => {
      const tr = document.createElement('tr'), keys = document.createElement('td'), says = document.createElement('td');
      keys.textContent = r.shown || Object.keys(r.keys).map((k) => names[k] || k).join(' ');
      says.textContent = r.says;
      tr.append(keys, says);
      return tr;
    }));
  }
}
