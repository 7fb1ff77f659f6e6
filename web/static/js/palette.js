// The command palette: every action of the page by typing a part of its name.
// Actions are read from the page's own buttons, so that none can be forgotten.
const words = (s) => (s || '').replace(/\s+/g, ' ').trim();

function actions() {
  const out = [];
  const add = (name, about, run) => { if (name) out.push({ name, about, run, key: `${name} ${about}`.toLowerCase() }); };
  for (const a of document.querySelectorAll('[data-station-link]')) add(`Go to ${words(a.textContent)}`, 'station', () => a.click());
  add('All shots', 'station', () => { location.href = '/'; });
  for (const b of document.querySelectorAll('.cast [data-el]')) {
    const name = words(b.querySelector('b')?.textContent);
    add(name, 'choose', () => b.querySelector('a').click());
  }
  const menu = document.querySelector('#addmenu .menu');
  for (const b of menu ? menu.querySelectorAll('button') : []) {
    const kind = b.form?.querySelector('[name=kind]'), recipe = b.form?.querySelector('[name=recipe]');
    add(kind ? `Add ${words(b.textContent)}` : recipe ? `Recipe: ${words(b.textContent)}` : words(b.textContent), kind ? 'element' : recipe ? 'recipe' : 'geometry', () => b.click());
  }
  for (const b of document.querySelectorAll('.elacts button, .wrapform button, .viewtools button, .transport button, .keytools button, #bar button, .top button, .voxels button, .filefacts button, .field button[data-paint], .field button[data-curve], .field button[data-bring], [data-command]')) {
    if (b.closest('[hidden]') || b.disabled) continue;
    const help = words(b.title || b.getAttribute('aria-label'));
    add(words(b.textContent).length > 2 ? words(b.textContent) : help, help, () => b.click());
  }
  for (const m of document.querySelectorAll('.finding form button')) add(`Mend: ${words(m.textContent)}`, 'check', () => m.click());
  for (const l of document.querySelectorAll('#right .field .lab')) {
    const field = l.closest('.field');
    if (field.hidden) continue;
    add(words(l.textContent), 'value', () => {
      const fold = field.closest('details');
      if (fold) fold.open = true;
      const i = field.querySelector('input:not([type=hidden]), select, textarea');
      if (i) { i.focus(); if (i.select) i.select(); }
    });
    const key = field.querySelector('.keybtn');
    if (key) add(`Key: ${words(l.textContent)}`, 'at this frame', () => key.click());
    const was = field.querySelector('.was');
    if (was) add(`Put back: ${words(l.textContent)}`, words(was.title), () => was.click());
  }
  return out;
}

// rank: the start of a word counts more than the middle of one
function rank(a, parts) {
  let sum = 0;
  for (const p of parts) {
    const i = a.key.indexOf(p);
    if (i < 0) return -1;
    sum += i === 0 ? 3 : a.key[i - 1] === ' ' ? 2 : 1;
    if (a.name.toLowerCase().includes(p)) sum += 1;
  }
  return sum - a.name.length / 200;
}

export function palette() {
  const box = document.getElementById('palette'), input = box.querySelector('input'), list = box.querySelector('ul');
  let all = [], shown = [], at = 0;
  function fill() {
    const parts = input.value.toLowerCase().split(/\s+/).filter(Boolean);
    shown = all.map((a) => [rank(a, parts), a]).filter((x) => x[0] >= 0).sort((x, y) => y[0] - x[0]).slice(0, 12).map((x) => x[1]);
    at = 0;
    list.replaceChildren(...shown.map((a, i) => {
      const li = document.createElement('li');
      li.setAttribute('role', 'option');
      li.id = `cmd-${i}`;
      const b = document.createElement('span'), d = document.createElement('span');
      b.textContent = a.name;
      d.textContent = a.about === a.name ? '' : a.about;
      d.className = 'dim';
      li.append(b, d);
      li.onclick = () => { at = i; go(); };
      return li;
    }));
    if (!shown.length) { const li = document.createElement('li'); li.className = 'dim'; li.textContent = 'Nothing here is called that.'; list.append(li); }
    point();
  }
  function point() {
    [...list.children].forEach((li, i) => li.setAttribute('aria-selected', i === at));
    input.setAttribute('aria-activedescendant', `cmd-${at}`);
  }
  function go() {
    const a = shown[at];
    box.close();
    if (a) a.run();
  }
  input.oninput = fill;
  input.onkeydown = (e) => {
    if (e.key === 'ArrowDown') at = Math.min(shown.length - 1, at + 1);
    else if (e.key === 'ArrowUp') at = Math.max(0, at - 1);
    else if (e.key === 'Enter') { e.preventDefault(); go(); return; } else return;
    e.preventDefault();
    point();
  };
  return () => {
    all = actions();
    input.value = '';
    fill();
    box.showModal();
    input.focus();
  };
}
