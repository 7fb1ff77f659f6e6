// Small behaviour of the server's fragments: Alpine parts, fields that can be
// dragged and nudged, notices that can be closed.
document.addEventListener('alpine:init', () => {
  Alpine.data('card', () => /** @type {{writing: boolean}} */ ({
    writing: false,
    get reading() { return !this.writing; },
    start() { this.writing = true; },
    stop() { this.writing = false; },
  }));
});

// A form that htmx sends must never navigate, whichever way it is submitted.
document.addEventListener('submit', (e) => {
  if (e.target.hasAttribute('hx-post')) e.preventDefault();
});

document.addEventListener('click', (e) => {
  if (e.target.closest('[data-dismiss-later]')) { const t = e.target.closest('.toastline'); setTimeout(() => t.remove(), 50); }
  if (e.target.closest('[data-dismiss]')) e.target.closest('.toastline').remove();
  if (e.target.closest('[data-theme-toggle]')) {
    const next = document.documentElement.dataset.bsTheme === 'dark' ? 'light' : 'dark';
    document.documentElement.dataset.bsTheme = next;
    localStorage.setItem('zarf.theme', next);
    document.dispatchEvent(new CustomEvent('zarf:theme'));
  }
  if (e.target.closest('[data-keys-help]')) document.getElementById('keys').showModal();
  for (const d of document.querySelectorAll('details.checks[open], details.addmenu[open]')) {
    if (!d.contains(e.target) || e.target.closest('.addmenu .menu button')) d.open = false;
  }
});

function stepOf(input) {
  const given = parseFloat(input.dataset.step);
  if (given > 0) return given;
  const v = Math.abs(parseFloat(input.value)) || 1;
  return Math.pow(10, Math.floor(Math.log10(v)) - 1);
}

function show(v, step) {
  const digits = Math.max(0, Math.min(8, Math.ceil(-Math.log10(step)) + 1));
  return String(parseFloat(v.toFixed(digits)));
}

function send(input) { input.dispatchEvent(new Event('change', { bubbles: true })); }

document.addEventListener('keydown', (e) => {
  const input = e.target;
  if (!input.matches || !input.matches('.fieldform .num') || (e.key !== 'ArrowUp' && e.key !== 'ArrowDown')) return;
  const v = parseFloat(input.value);
  if (Number.isNaN(v)) return;
  e.preventDefault();
  const step = stepOf(input) * (e.shiftKey ? 10 : 1);
  input.value = show(v + (e.key === 'ArrowUp' ? step : -step), step);
  send(input);
});

// Dragging a label changes its number; values are sent at most every 120 ms,
// and become one step of undo.
let drag = null;
document.addEventListener('pointerdown', (e) => {
  const lab = e.target.closest && e.target.closest('.lab.drag');
  if (!lab || e.button !== 0) return;
  const input = document.getElementById(lab.htmlFor);
  const v = parseFloat(input.value);
  if (Number.isNaN(v)) return;
  drag = { input, from: v, x: e.clientX, moved: false, sent: 0, step: stepOf(input), lab };
  lab.setPointerCapture(e.pointerId);
});
document.addEventListener('pointermove', (e) => {
  if (!drag) return;
  const by = Math.round((e.clientX - drag.x) / 4);
  if (!by && !drag.moved) return;
  drag.moved = true;
  drag.input.value = show(drag.from + by * drag.step * (e.shiftKey ? 10 : 1), drag.step);
  if (performance.now() - drag.sent > 120) {
    drag.sent = performance.now();
    mark(drag.input.form, true);
    send(drag.input);
  }
});
document.addEventListener('pointerup', () => {
  if (!drag) return;
  const d = drag;
  drag = null;
  if (d.moved) {
    mark(d.input.form, true);
    send(d.input);
    setTimeout(() => mark(d.input.form, false), 400);
  }
});
document.addEventListener('click', (e) => {
  // the click that ends a drag must not put the cursor into the field
  if (e.target.closest && e.target.closest('.lab.drag') && drag && drag.moved) e.preventDefault();
});

function mark(form, on) {
  let f = form.querySelector('input[name=drag]');
  if (!f) {
    f = document.createElement('input');
    f.type = 'hidden';
    f.name = 'drag';
    form.append(f);
  }
  f.value = on ? '1' : '0';
}

document.addEventListener('input', (e) => {
  if (e.target.id !== 'castsearch') return;
  const want = e.target.value.toLowerCase();
  for (const li of document.querySelectorAll('.castitem')) li.hidden = want !== '' && !li.textContent.toLowerCase().includes(want);
});

// What was wrong is cleared by the next change of the same field.
document.addEventListener('change', (e) => {
  const field = e.target.closest('.field');
  if (field) field.querySelector('.err').textContent = '';
});
