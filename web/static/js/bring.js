// Bringing a file in: by button or by dropping it on the picture. A dialog asks
// what it becomes and what its kind leaves open; the upload shows how far it is.
const ending = (name) => (name.match(/\.[^.]+$/) || [''])[0].toLowerCase();

export function bringIn({ slug, note, drop, chosen, show, mine }) {
  const box = document.getElementById('bring');
  const form = box.querySelector('form'), pick = form.querySelector('[name=file]'), bar = box.querySelector('progress'), said = box.querySelector('.said');
  // the server knows which files can be read, and what each leaves open
  const kinds = pick.accept.split(','), units = JSON.parse(pick.dataset.units);
  const main = (kind) => kinds.includes(kind) && !pick.dataset.beside.split(' ').includes(kind);
  let files = [], into = '', request = null;

  function fill() {
    const kind = files.map((f) => ending(f.name)).find(main) || files.map((f) => ending(f.name))[0] || '';
    for (const part of form.querySelectorAll('[data-for]')) part.hidden = !part.dataset.for.split(' ').includes(kind);
    box.querySelector('.names').textContent = files.length ? files.map((f) => `${f.name} (${(f.size / 1e6).toFixed(f.size < 1e6 ? 2 : 1)} MB)`).join(', ') : 'no file chosen';
    form.querySelector('[name=unit]').value = units[kind] || '1 m';
    form.querySelector('#bringgo').disabled = !files.length;
  }

  function open(list, as) {
    files = [...list];
    into = chosen() || '';
    said.textContent = '';
    bar.hidden = true;
    const use = form.querySelector('[name=as]');
    if (as) use.value = as;
    use.querySelector('[value=replace]').disabled = !into;
    if (use.value === 'replace' && !into) use.value = 'collider';
    pick.value = '';
    fill();
    if (!box.open) box.showModal();
  }

  pick.onchange = () => { files = [...pick.files]; fill(); };
  document.addEventListener('click', (e) => {
    const b = e.target.closest('[data-bring]');
    if (b) open([], b.dataset.bring);
  });
  const wanted = (e) => e.dataTransfer && [...e.dataTransfer.types].includes('Files');
  for (const on of ['dragenter', 'dragover']) drop.addEventListener(on, (e) => { if (wanted(e)) { e.preventDefault(); drop.classList.add('dropping'); } });
  drop.addEventListener('dragleave', () => drop.classList.remove('dropping'));
  drop.addEventListener('drop', (e) => {
    if (!wanted(e)) return;
    e.preventDefault();
    drop.classList.remove('dropping');
    const list = [...e.dataTransfer.files];
    if (e.target.closest('#refpane') || list.some((f) => f.type.startsWith('video/'))) return; // the reference takes those
    const odd = list.find((f) => !kinds.includes(ending(f.name)));
    if (odd) { note(`${odd.name} can't be read here. Geometry comes as ${kinds.filter(main).join(' ')}.`, true); return; }
    open(list);
  });

  box.querySelector('#bringstop').onclick = () => { if (request) request.abort(); box.close(); };
  box.addEventListener('close', () => { if (request) request.abort(); });
  form.addEventListener('submit', (e) => {
    e.preventDefault();
    const body = new FormData(form);
    body.delete('file');
    for (const f of files) body.append('file', f);
    body.append('into', into);
    const x = new XMLHttpRequest();
    request = x;
    bar.hidden = false;
    bar.value = 0;
    said.className = 'said';
    form.querySelector('#bringgo').disabled = true;
    x.upload.onprogress = (p) => { bar.max = p.total; bar.value = p.loaded; said.textContent = p.loaded < p.total ? `sent ${(p.loaded / 1e6).toFixed(1)} of ${(p.total / 1e6).toFixed(1)} MB` : 'reading it …'; };
    const end = (text, fault) => { request = null; bar.hidden = true; said.textContent = text; said.className = fault ? 'said err' : 'said'; form.querySelector('#bringgo').disabled = !files.length; };
    x.onload = () => {
      if (x.status !== 200) { end(x.responseText || 'The server refused it.', true); return; }
      const got = JSON.parse(x.responseText);
      end('', false);
      box.close();
      show(got.element);
      note(got.notes && got.notes.length ? got.notes.join('; ') + '.' : '');
    };
    x.onerror = () => end('The server does not answer; nothing was changed.', true);
    x.onabort = () => end('Stopped; nothing was changed.', false);
    x.open('POST', `/shots/${slug}/bring`);
    x.setRequestHeader('X-Zarf-Page', mine());
    x.send(body);
  });
}
