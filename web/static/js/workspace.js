// Ties the stations together: scene, player, score, notices and keys.
import { Viewport } from './viewport.js';
import { Frames, holds } from './volume.js';
import { Score } from './score.js';
import { Lit } from './lit.js';
import { bringIn } from './bring.js';
import { Painter } from './paint.js';
import { Pen } from './pen.js';
import { Actions } from './actions.js';
import { palette } from './palette.js';
import { Reference } from './reference.js';
import { Draft } from './draft.js';
import { Compare } from './compare.js';
import { Sweep } from './sweep.js';
import { Probe } from './probe.js';
import './stops.js';
import './strip.js';
import './player.js';
import { Handed } from './handed.js';

const work = document.getElementById('work');
const slug = work.dataset.slug, station = work.dataset.station, shotId = +work.dataset.shot;
const $ = (id) => document.getElementById(id);
const query = () => new URLSearchParams(location.search);
const size = +(query().get('volume') || 64);
const state = { scene: null, frame: +$('frame').value, playing: false, loop: true, speed: 1, follow: false, chosen: query().get('el'), lit: station === 'look' };

const note = (text, fault) => { $('viewnote').textContent = text || ''; $('viewnote').classList.toggle('fault', !!fault); };

function post(path, values) {
  return htmx.ajax('POST', `/shots/${slug}/${path}`, { values, swap: 'none', target: '#live' });
}

let view = null;
try {
  view = new Viewport($('view'), $('overlay'), {
    slug,
    editable: station === 'stage' || station === 'score',
    choose: (id) => choose(id),
    place: (id, key, v) => post('place', { id, key, frame: state.frame, v0: v[0], v1: v[1], v2: v[2] }),
  });
} catch (err) {
  note('This browser has no WebGL 2: the viewport stays empty. Values, runs, rendered pictures and handovers work all the same.', true);
}
const frames = new Frames(slug, size, () => (state.scene ? `${state.scene.lit}&look=${currentLook()}${state.work ? '&light=work' : ''}` : ''));
const score = new Score($('score'), {
  seek: (f) => { state.follow = false; seek(f); },
  choose: (id) => choose(id),
  edit: (body) => json('keys', body),
  picked: (n) => {
    $('keycount').textContent = n ? `${n} key${n === 1 ? '' : 's'} chosen` : 'no key chosen';
    const ways = new Set(score ? score.picked().map((x) => x.q.way) : []);
    if (ways.size === 1) $('keyway').value = [...ways][0];
  },
  opened: (r) => {
    const f = $('curvetools');
    f.hidden = !r;
    if (!r) return;
    $('curvename').textContent = `${r.e.name}: ${r.l.label}`;
    f.after.value = r.l.after || '';
    f.amount.value = +((r.l.noise || 0) / r.l.scale).toPrecision(6);
    f.period.value = r.l.period || 12;
    f.seed.value = r.l.seed || 1;
  },
});

// Sends a script's change; the panels come back as after any other.
function json(path, body) {
  return post(path, { body: JSON.stringify(body), frame: state.frame });
}
$('keyway').onchange = () => score.way($('keyway').value);
$('keydrop').onclick = () => score.drop();
$('keystretchgo').onclick = () => score.stretchTime(parseFloat($('keystretch').value));
$('zoomin').onclick = () => score.zoom(0.6);
$('zoomout').onclick = () => score.zoom(1 / 0.6);
$('zoomfit').onclick = () => score.fit();
$('curveclose').onclick = () => score.close();
$('curvetools').onsubmit = (e) => e.preventDefault();
$('curvetools').onchange = () => {
  const f = $('curvetools'), r = score.open;
  if (r) json('curve', { el: r.e.id, key: r.l.key, after: f.after.value, amount: parseFloat(f.amount.value) * r.l.scale, period: parseFloat(f.period.value), seed: parseInt(f.seed.value, 10) });
};
const reference = new Reference($('refpane'), { slug, note, json, mine, drop: $('picture'), reload: () => reload(), go: (f) => seek(f), take: () => (state.scene && take() ? take().number : '') });
const probe = new Probe($('probepane'), { slug, take, frame: () => state.frame, note });
const compare = $('comparepane') ? new Compare($('comparepane'), {
  slug, note, post, scene: () => state.scene, frame: () => state.frame, closed: () => show(state.frame),
  address: (set) => {
    const q = query();
    for (const [k, v] of Object.entries(set)) if (v === null) q.delete(k); else q.set(k, v);
    history.replaceState(null, '', location.pathname + '?' + q);
  },
}) : null;
if ($('handpane')) new Handed($('handpane'), { slug, note });
const comparing = () => !!compare && compare.open;
const sweep = $('sweep') ? new Sweep($('sweep'), { slug, post }) : null;
document.addEventListener('click', (e) => {
  if (sweep && e.target.closest('[data-sweep]')) sweep.open();
  if (compare && e.target.closest('[data-compare-go]')) {
    const list = [...document.querySelectorAll('[data-compare]:checked')].map((x) => +x.dataset.compare).sort((a, b) => a - b);
    if (list.length < 1 || list.length > 4) note(`Tick two to four takes, or one to hold against a clip; ${list.length} are.`, true);
    else compare.show(list);
  }
});
const lit = new Lit($('lit'), slug, {
  note,
  // lamps have layers of their own, known once the scene is made
  layers: (list) => { for (const l of list) if ($('layer') && ![...$('layer').options].some((o) => o.value === l)) $('layer').append(new Option(l.replaceAll('_', ' '), l)); },
});
if ($('layer')) $('layer').onchange = () => { lit.layer = $('layer').value; show(state.frame); };
// Pictures from outside become a look's value.
document.addEventListener('change', async (e) => {
  const to = e.target.dataset && e.target.dataset.picture;
  if (!to || !e.target.files.length) return;
  e.stopPropagation();
  const body = new FormData();
  for (const f of e.target.files) body.append('file', f);
  note('The pictures are on their way …');
  try {
    const r = await fetch(`/shots/${slug}/picture/${to}`, { method: 'POST', body, headers: { 'X-Zarf-Page': mine() } });
    const text = await r.text();
    note(text, !r.ok);
    if (r.ok) { reloadAll(); reload(); }
  } catch { note('The server does not answer; nothing was kept.', true); }
}, true);
// A live draft takes the picture over while it runs.
const draft = $('draft') ? new Draft($('drafttools'), $('draft'), {
  slug, size, note,
  show: (frame, v) => {
    if (!view) return;
    state.frame = frame;
    if (document.activeElement !== $('frame')) $('frame').value = frame;
    for (const f of document.querySelectorAll('[data-frame]')) f.value = frame;
    score.seek(frame);
    reference.seek(frame, false, 1);
    view.fluid(v);
    colours(null); // a draft chooses itself
    $('clock').textContent = clockText(frame);
    return view.moving();
  },
  loop: () => state.loop,
  domain: () => { const e = state.scene && state.scene.elements.find((x) => x.id === chosenId()); return e && e.kind === 'domain' ? e.id : ''; },
  keep: (voxel, domain) => post('draft/keep', { voxel, domain }),
  senses: (frame, list) => score.sense(frame, list),
  changed: (on) => { if (!on) score.sense(0, null); if (on && state.playing) play(false); if (!on) show(state.frame); },
}) : null;
const drafting = () => !!draft && draft.shown;

function choose(id) {
  if (station !== 'stage' && station !== 'score') return;
  const link = document.querySelector(id ? `[data-el="${CSS.escape(id)}"] a` : '#cast-shot a');
  if (link) link.click();
}

function take() {
  if (!state.scene || !state.scene.takes.length) return null;
  const want = +query().get('take');
  return state.scene.takes.find((t) => t.number === want) || state.scene.takes[0];
}

async function load() {
  let r, body;
  try {
    r = await fetch(`/shots/${slug}/scene.json?frame=${state.frame}&take=${query().get('take') || ''}`);
    body = r.ok ? await r.json() : await r.text(); // the answer may break off as well
  } catch {
    note('The server does not answer. What was stored is safe; reload the page once it runs again.', true);
    return;
  }
  if (!r.ok) { note(body, true); return; }
  state.scene = body;
  if (view) {
    view.show(state.scene);
    if (view.tool && view.tool.again) {
      const el = state.scene.elements.find((x) => x.id === view.tool.el.id);
      if (el) view.tool.again(el); else view.take(null);
    }
  }
  score.show(state.scene, take());
  reference.show(state.scene);
  // where one was last in this shot, else the frame that the server chose
  if (!state.opened) {
    state.opened = true;
    const last = +(localStorage.getItem(`zarf.frame.${slug}`) || NaN);
    if (!query().get('frame') && last >= body.first && last <= body.last && last !== state.frame) { seek(last); return; }
  }
  const t = take();
  // a run that was just begun is followed frame by frame until somebody scrubs
  if (state.follow && !state.playing && t && t.frames.length) {
    seek(t.frames[t.frames.length - 1], true);
    if (!t.job) state.follow = false;
    return;
  }
  await show(state.frame);
}

let loading = 0;
function reload() {
  clearTimeout(loading);
  loading = setTimeout(load, 30);
}

const clockText = (frame) => (state.scene ? `${((frame - state.scene.first) / state.scene.rate).toFixed(3)} s at ${+state.scene.rate.toFixed(3)} fps` : '');

// Shows a frame: its smoke, or why there is none.
async function show(frame) {
  const t = take();
  $('clock').textContent = clockText(frame);
  if (drafting()) return;
  probe.seek();
  if (comparing()) { compare.seek(); return; }
  if (state.lit && station === 'look') {
    $('lit').hidden = false;
    $('overlay').hidden = true;
    if (!t) { note('No take yet: run the shot, then light it.', true); return; }
    if (!t.frames.includes(frame)) { note(`Frame ${frame} is not in take ${t.number}'s cache.`, true); return; }
    if (!state.playing) { relight(t, frame, head); return; }
  }
  $('lit').hidden = !(state.lit && station === 'look' && !state.playing);
  $('overlay').hidden = !$('lit').hidden;
  if (!view) return;
  if (!t) { await outside(frame); return; }
  if (!t.frames.includes(frame)) {
    view.fluid(null);
    view.draw();
    note(t.frames.length ? `Frame ${frame} is not in take ${t.number}'s cache${t.job ? ' yet' : ''}.` : t.job ? `Take ${t.number} is about to begin.` : `Take ${t.number} has no frames.`);
    return;
  }
  try {
    const v = await frames.fetch(t, frame);
    if (frame !== state.frame) return;
    view.fluid(v);
    if (state.playing) view.moving(); else view.draw();
    const h = holds(v);
    document.querySelector('[data-view=points]').hidden = !h.wet;
    colours(v.head.parts.find((p) => p.attributes));
    const said = v.head.notes || [];
    note([...said, h.some ? (t.state === 'stale' ? `Take ${t.number} was made with other values.` : '') : `Frame ${frame} holds no ${h.wet ? 'liquid' : h.loose ? 'particles' : 'smoke'}.`].filter(Boolean).join(' · '), said.length > 0);
    sharpen(t, frame);
  } catch (err) { note(err.message, true); }
  for (let f = frame + 1; f < frame + 5; f++) if (t.frames.includes(f)) frames.fetch(t, f).catch(() => {});
}

// Without a take there may be particles from outside.
async function outside(frame) {
  let v = null;
  note('');
  if (state.scene && state.scene.outside) {
    try { v = await frames.fetch({ number: 0, key: 'outside' }, frame); } catch (err) { note(err.message, true); }
    if (frame !== state.frame || take()) return;
  }
  view.fluid(v);
  view.draw();
  colours(v && v.head.parts.find((p) => p.attributes));
}

// Lights a frame by the look as it stands in a revision of the shot.
function relight(t, frame, revision) {
  lit.stale = t.state === 'stale' ? `take ${t.number} was made with other values` : '';
  lit.start(t.number, frame, currentLook(), revision);
}

// A value that was taken is seen at once: panels take longer to exchange than the
// picture to light.
document.addEventListener('htmx:after:request', (e) => {
  const { text, response } = e.detail.ctx, t = state.scene && take();
  if (station !== 'look' || !state.lit || state.playing || drafting() || comparing() || !t || !response || response.status >= 400 || !t.frames.includes(state.frame)) return;
  const revision = /data-head="(\d+)"/.exec(text || '');
  if (revision && +revision[1] !== head) relight(t, state.frame, +revision[1]);
});

// A frame that rests is shown in smaller voxels.
let resting = 0;
function sharpen(t, frame) {
  clearTimeout(resting);
  if (state.playing || view.picture.slow) return; // more than the processor can draw
  const light = frames.light();
  resting = setTimeout(async () => {
    try {
      const v = await frames.fetch(t, frame, Math.min(160, 2 * size));
      if (frame === state.frame && light === frames.light() && !state.playing && !drafting()) { view.fluid(v); view.draw(); }
    } catch { /* what is shown stays */ }
  }, 400);
}

function currentLook() {
  const s = document.querySelector('[data-sheet][data-kind=look]');
  return s ? s.dataset.id : '';
}

function seek(frame, quiet) {
  if (!state.scene) return;
  frame = Math.max(state.scene.first, Math.min(state.scene.last, Math.round(frame)));
  state.frame = frame;
  localStorage.setItem(`zarf.frame.${slug}`, frame);
  if (document.activeElement !== $('frame')) $('frame').value = frame;
  for (const f of document.querySelectorAll('[data-frame]')) f.value = frame;
  score.seek(frame);
  reference.seek(frame, state.playing, state.speed);
  show(frame);
  if (quiet) return;
  const q = query();
  q.set('frame', frame);
  history.replaceState(null, '', location.pathname + '?' + q);
  settled();
}

// Values with keys differ from frame to frame: once the frame rests, the
// sheet and the placements are asked for again.
let rest = 0;
function settled() {
  clearTimeout(rest);
  rest = setTimeout(async () => {
    if (!state.scene || ![...state.scene.elements, ...state.scene.others].some((e) => e.lanes)) return;
    if (state.scene.moving) load();
    if (station === 'stage' || station === 'score' || station === 'look') htmx.ajax('GET', `/shots/${slug}/sheet?${sheetQuery()}`, { swap: 'none', target: '#live' });
  }, 150);
}

function sheetQuery() {
  const q = query();
  q.set('at', station);
  q.set('frame', String(state.frame));
  return q;
}

// The player keeps real time and skips frames that aren't there yet.
let clock = 0;
function tick(now) {
  if (!state.playing) return;
  const due = 1000 / (state.scene.rate * state.speed);
  if (now - clock >= due) {
    const t = take();
    const last = t && t.frames.length ? Math.min(state.scene.last, t.frames[t.frames.length - 1]) : state.scene.last;
    let next = state.frame + Math.max(1, Math.min(4, Math.floor((now - clock) / due)));
    if (next > last) next = state.loop ? state.scene.first : last;
    if (next === last && !state.loop && state.frame === last) { play(false); return; }
    const ready = comparing() ? compare.ready(next) : !t || !t.frames.includes(next) || frames.get(t, next);
    if (ready) { clock = now - clock > 4 * due ? now : clock + due * Math.floor((now - clock) / due); seek(next, true); } else if (!comparing()) frames.fetch(t, next).catch(() => {});
  }
  requestAnimationFrame(tick);
}

function play(on) {
  state.playing = on;
  $('play').textContent = on ? 'Pause' : 'Play';
  reference.seek(state.frame, on, state.speed);
  if (on) { lit.stop(); clock = performance.now(); requestAnimationFrame(tick); } else seek(state.frame);
}

const go = (frame) => { state.follow = false; seek(frame); };
$('play').onclick = () => { state.follow = false; if (draft && draft.running) draft.pause(!draft.paused); else play(!state.playing); };
$('tofirst').onclick = () => go(state.scene.first);
$('back').onclick = () => go(state.frame - 1);
$('forth').onclick = () => go(state.frame + 1);
document.addEventListener('click', (e) => { if (e.target.id === 'run') state.follow = true; });
$('loop').onclick = () => { state.loop = !state.loop; $('loop').setAttribute('aria-pressed', state.loop); };
$('speed').onchange = () => { state.speed = +$('speed').value; };
$('frame').onchange = () => { const f = parseFloat($('frame').value); if (!Number.isNaN(f)) go(f); };

for (const b of document.querySelectorAll('[data-gizmo]')) {
  b.onclick = () => gizmo(b.dataset.gizmo);
  if (station !== 'stage' && station !== 'score') b.hidden = true;
}
function gizmo(mode) {
  if (view) view.setGizmo(mode);
  for (const b of document.querySelectorAll('[data-gizmo]')) b.setAttribute('aria-pressed', b.dataset.gizmo === mode);
}
function litToggle() {
  if (station !== 'look') return;
  state.lit = !state.lit;
  if (!state.lit) { lit.stop(); $('lit').hidden = true; note(''); }
  document.querySelector('[data-view=lit]').setAttribute('aria-pressed', state.lit);
  show(state.frame);
}
const press = (name, on) => document.querySelector(`[data-view=${name}]`).setAttribute('aria-pressed', on);
function solids() { if (!view) return; view.things.visible = !view.things.visible; press('solids', view.things.visible); view.draw(); }
// A plain day's light, for work on shots that are dark; and the sky and the ground that
// the picture will have.
function workLight(on = !state.work) {
  state.work = on;
  localStorage.setItem('zarf.work', on ? '1' : '');
  press('work', on);
  show(state.frame);
}
function backdrop(on = !view.picture.wanted) {
  if (!view) return;
  view.picture.wanted = on;
  localStorage.setItem('zarf.backdrop', on ? '1' : '');
  press('backdrop', on);
  view.draw();
}
// A liquid as particles takes less to fetch and to draw than its surface.
function points() {
  const [as, by] = frames.as.split(':');
  frames.as = (as ? '' : 'points') + (by ? ':' + by : '');
  press('points', !as);
  seek(state.frame, true);
}
// What particles are coloured by, with the range that the colours span.
function colours(part) {
  const s = $('coloured');
  s.hidden = !part;
  if (!part) return;
  const names = part.attributes;
  if (s.dataset.names !== names.join()) {
    s.replaceChildren(...names.map((n) => new Option(n.replace('_', ' '), n)));
    s.dataset.names = names.join();
  }
  s.value = part.by;
  const short = (x) => +x.toPrecision(3);
  s.title = `Coloured by ${part.by.replace('_', ' ')}: ${short(part.low || 0)} to ${short(part.high || 0)}${part.unit ? ' ' + part.unit : ''}`;
}
$('coloured').onchange = () => {
  frames.as = `${frames.as.split(':')[0]}:${$('coloured').value}`;
  seek(state.frame, true);
};
function safe() {
  const s = $('safe'), box = $('picture').getBoundingClientRect();
  s.hidden = !s.hidden;
  press('safe', !s.hidden);
  // the picture's shape, in the middle of the viewport
  const w = Math.min(box.width, box.height * 16 / 9);
  s.style.width = w + 'px';
  s.style.height = w * 9 / 16 + 'px';
}
function snapshot() {
  if (!view) return;
  const lit1 = $('lit');
  const save = (href) => { const a = document.createElement('a'); a.href = href; a.download = `${slug}-${String(state.frame).padStart(4, '0')}.png`; a.click(); note(`Saved as ${a.download}.`); };
  if (!lit1.hidden && lit1.src) { save(lit1.src); return; }
  view.drawNow();
  $('view').toBlob((b) => { const u = URL.createObjectURL(b); save(u); setTimeout(() => URL.revokeObjectURL(u), 10000); });
}
document.querySelector('[data-view=solids]').onclick = solids;
document.querySelector('[data-view=points]').onclick = points;
document.querySelector('[data-view=work]').onclick = () => workLight();
document.querySelector('[data-view=backdrop]').onclick = () => backdrop();
if (localStorage.getItem('zarf.work')) { state.work = true; press('work', true); }
if (view && localStorage.getItem('zarf.backdrop')) backdrop(true);
document.querySelector('[data-view=safe]').onclick = safe;
document.querySelector('[data-view=snap]').onclick = snapshot;
document.querySelector('[data-view=frame]').onclick = () => view && view.frame();
document.querySelector('[data-view=camera]').onclick = () => view && view.throughCamera();
if (station === 'look') {
  document.querySelector('[data-view=lit]').onclick = litToggle;
  document.querySelector('[data-view=lit]').setAttribute('aria-pressed', 'true');
}
gizmo('translate');

// The address keeps take and frame when another station is chosen.
for (const a of document.querySelectorAll('[data-station-link]')) {
  a.addEventListener('click', () => {
    const q = query(), keep = new URLSearchParams();
    for (const k of ['take', 'frame', 'look', 'el', 'volume', 'quality']) if (q.get(k)) keep.set(k, q.get(k));
    a.href = a.pathname + (keep.size ? '?' + keep : '');
  });
}

// Every request tells which revision this page shows, so that two windows can't
// undo each other's work without a word.
let head = +work.dataset.head;
const page = Math.random().toString(36).slice(2);
function mine() { return page; }
document.addEventListener('htmx:config:request', (e) => {
  const h = e.detail.ctx.request.headers;
  h['X-Zarf-Head'] = String(head);
  h['X-Zarf-Page'] = page;
  if (drafting() && /\/(value|place|key|keys|curve|element|mend|undo|redo|reset)/.test(e.detail.ctx.request.action || '')) draft.changing();
});

// The server's answers: the document changed, or another element was chosen.
new MutationObserver(() => {
  const mark = $('docmark').firstElementChild;
  const before = head;
  if (mark && +mark.dataset.head) head = +mark.dataset.head;
  if (head !== before && $('handsize')) htmx.trigger($('handsize'), 'estimate');
  // fields show what the server made of what was typed
  for (const i of document.querySelectorAll('#right input:not([type=hidden]):not([type=checkbox]), #left input:not([type=hidden])')) {
    if (i !== document.activeElement && i.id !== 'castsearch' && i.value !== i.defaultValue && !i.closest('stop-editor, film-strip, .jobform')) i.value = i.defaultValue;
  }
  for (const i of document.querySelectorAll('#right input[type=checkbox]')) if (!i.closest('.jobform')) i.checked = i.defaultChecked;
  for (const i of document.querySelectorAll('#right .fieldform select')) for (const o of i.options) if (o.defaultSelected && i !== document.activeElement) i.value = o.value;
  state.chosen = query().get('el');
  if (view) view.choose(chosenId());
  reload();
}).observe($('docmark'), { childList: true });
function chosenId() {
  const s = document.querySelector('[data-sheet]');
  return s && s.dataset.id && s.dataset.kind !== 'look' ? s.dataset.id : null;
}

// Notices about jobs.
// A frame that a run has just put into the cache is shown at once: the rest of
// the page can wait for its next refresh.
function arrived(n) {
  const t = take(), f = n.step && n.step.frame;
  if (n.kind !== 'sim' || !n.step || !n.step.kept || !t || t.id !== n.take || f < t.first || f > t.last) return;
  if (!t.frames.includes(f)) {
    t.frames.push(f);
    t.frames.sort((a, b) => a - b);
    score.arrived();
  }
  if (state.follow && !state.playing) seek(f, true);
  else if (f === state.frame && !state.playing) show(f);
}

const events = new EventSource('/events');
let told = 0, behind = false;
document.addEventListener('visibilitychange', () => { if (!document.hidden && behind) { behind = false; refresh(); } });
const refresh = () => htmx.ajax('GET', `/shots/${slug}/parts/${station}?${query()}`, { swap: 'none', target: '#live' });
const again = () => { if (!busyTyping()) refresh(); };

// Parts of the page that were asked for before a value was changed know nothing of it.
// They are left out, and asked for once more when the change has its answer: else they
// would put back what stood there, and the change would seem lost.
let sent = 0, open = 0, late = false; // requests that change something, those still open
document.addEventListener('htmx:before:request', (e) => {
  const c = e.detail.ctx;
  if (c.request.method === 'GET') c.asked = open ? -1 : sent;
  else { c.changes = true; sent++; open++; }
});
document.addEventListener('htmx:after:request', (e) => {
  const c = e.detail.ctx;
  if (c.request.method !== 'GET' || !c.request.action.includes('/parts/') || c.asked === sent) return;
  e.preventDefault();
  if (open) late = true;
  else again();
});
document.addEventListener('htmx:finally:request', (e) => {
  if (!e.detail.ctx.changes || --open || !late) return;
  late = false;
  again();
});

// What happened before the page could hear of it, at first or after a break, it asks for.
events.onopen = () => { if (performance.now() > 1500) again(); };
events.onmessage = (e) => {
  const n = JSON.parse(e.data);
  if (n.shot !== shotId) { // another shot's job ended: what waits here moves up
    if (n.kind !== 'document' && n.state !== 'running' && document.querySelector('[data-waits]') && !busyTyping()) refresh();
    return;
  }
  if (n.kind === 'checks') { // they took longer than a page waits for them
    if (!busyTyping()) refresh();
    return;
  }
  if (n.kind === 'document') {
    if (n.message === page) return;
    if (!busyTyping()) refresh();
    $('live').textContent = 'The shot was changed in another window.';
    return;
  }
  const live = n.state === 'queued' || n.state === 'running';
  const running = $('running');
  if (live && running && +running.dataset.job === n.job) {
    running.querySelector('progress').max = n.total;
    running.querySelector('progress').value = n.done;
    if (n.step && n.step.waits) running.querySelector('.runtext').textContent = 'the disk is full: waiting for room';
    else if (n.state !== 'queued') running.querySelector('.runtext').textContent = `${n.done} of ${n.total} frames` + (n.left > 0 ? `, ${words(n.left)} left` : '');
  }
  arrived(n);
  // A frame's news is in the notice: the bar, the score's lane and the picture follow
  // it at once. What else the panels tell may wait, and all of it on a page that
  // nobody sees.
  const now = performance.now();
  behind = behind || live;
  if (!live || !running || (now - told > 5000 && !document.hidden)) {
    told = now;
    behind = false;
    if (!busyTyping() || !live) refresh();
    if (n.kind === 'sim') reload();
  }
  if (!live) $('live').textContent = `${n.kind} ${n.state}. ${n.message || ''}`;
};
const words = (s) => (s < 1 ? 'under 1 s' : s < 90 ? `${Math.round(s)} s` : s < 5400 ? `${Math.round(s / 60)} min` : `${(s / 3600).toFixed(1)} h`);
const busyTyping = () => { const a = document.activeElement; return a && a.matches('#left input, #left textarea, #right input:not([type=checkbox]), #right select, #right textarea'); };
window.addEventListener('beforeunload', () => events.close());

// What keys do. Keys of one row belong together.
const click = (where) => () => { const b = document.querySelector(where); if (b) b.click(); };
const stationAt = (n) => () => document.querySelectorAll('[data-station-link]')[n].click();
const nothingChosen = () => { if (score.open) score.close(); else { score.chosen.clear(); score.tell(); score.draw(); } };
const deleteChosen = () => { if (score.chosen.size) score.drop(); else click('#delete')(); };
const openAdd = () => { const m = $('addmenu'); if (m) { m.open = true; m.querySelector('.menu button').focus(); } };
const actions = new Actions([
  { keys: { ' ': click('#play') }, says: 'play or pause' },
  { keys: { ArrowLeft: () => go(state.frame - 1), ArrowRight: () => go(state.frame + 1) }, says: 'a frame back or on' },
  { keys: { Home: () => go(state.scene.first), End: () => go(state.scene.last) }, says: 'first, last frame' },
  { keys: { l: click('#loop') }, says: 'loop' },
  { keys: { j: () => gizmo('translate'), o: () => gizmo('rotate'), s: () => gizmo('scale') }, says: 'jog (move), orient (turn), size what is chosen' },
  { keys: { f: () => view && view.frame(), c: () => view && view.throughCamera() }, says: 'frame what is chosen; through the camera' },
  { keys: { b: points }, says: 'a liquid as its particles (beads)' },
  { keys: { u: () => workLight(), y: () => backdrop() }, says: 'work light (useful in the dark); sky and ground (yonder)' },
  { keys: { v: litToggle }, says: 'rendered or viewport (Look)' },
  { shown: 'Ctrl Z, Ctrl Shift Z', says: 'undo, redo' },
  { keys: { r: click('#run') }, says: 'run' },
  { keys: { w: () => draft && draft.toggle() }, says: 'live draft; space pauses it' },
  { keys: { m: click('#mute'), d: click('.elacts [data-duplicate]'), Delete: deleteChosen }, says: 'mute, duplicate, delete what is chosen' },
  { shown: 'Ctrl K or /', says: 'command palette: every action by name' },
  { keys: { n: openAdd, g: click('#addmenu [data-recipes]'), i: click('#addmenu [data-bring]') }, says: 'add an element, get a recipe, bring in a file' },
  { keys: { h: solids, x: safe, p: snapshot }, says: 'hide solids, safe areas, snapshot' },
  { keys: { e: () => reference.toggle(), q: () => probe.toggle() }, says: 'reference, probe' },
  { keys: { k: keyAll }, says: 'key all keyed values of the chosen element here' },
  { shown: '+ − 0', keys: { '+': () => score.zoom(0.6), '=': () => score.zoom(0.6), '-': () => score.zoom(1 / 0.6), 0: () => score.fit() }, says: 'score closer, farther, whole' },
  { keys: { a: () => score.all(), Escape: nothingChosen }, says: 'choose all keys, none; Esc also ends painting, drawing and the curve' },
  { shown: 'Shift or Alt drag', says: 'frame keys on the score; Ctrl drag copies them' },
  { shown: 'double click', says: 'a lane: its curve; the curve: a new key' },
  { keys: Object.fromEntries([...document.querySelectorAll('[data-station-link]')].slice(0, 9).map((_, n) => [n + 1, stationAt(n)])), says: 'stations' },
  { shown: '↑ ↓ in a field', says: 'nudge; with Shift ten times' },
  { keys: { '?': () => $('keys').showModal() }, says: 'this list' },
]);
actions.list($('keylist'));

document.addEventListener('keydown', (e) => {
  const typing = e.target.matches('input, textarea, select') && e.target.type !== 'checkbox';
  if ((e.ctrlKey || e.metaKey) && e.key.toLowerCase() === 'z') {
    if (typing && e.target.value !== e.target.defaultValue) return;
    e.preventDefault();
    $(e.shiftKey ? 'redo' : 'undo').click();
    return;
  }
  if ((e.ctrlKey || e.metaKey) && e.key.toLowerCase() === 'k' && !document.querySelector('dialog[open]')) { e.preventDefault(); commands(); return; }
  if (view && view.tool && view.tool.key && view.tool.key(e)) { e.preventDefault(); return; }
  if (e.key === '/' && !typing && !document.querySelector('dialog[open]')) { e.preventDefault(); commands(); return; }
  if (typing || e.ctrlKey || e.metaKey || e.altKey || document.querySelector('dialog[open]')) return;
  if (!actions.has(e.key)) return;
  if (e.key === ' ' && e.target.matches('button, a, summary')) return;
  e.preventDefault();
  actions.key(e.key);
});

const commands = palette();
document.addEventListener('click', (e) => {
  if (e.target.closest('[data-recipes]')) {
    htmx.ajax('GET', `/shots/${slug}/recipes?el=${encodeURIComponent(chosenId() || '')}`, { target: '#recipelist', swap: 'innerHTML' }).then(() => { for (const f of $('recipelist').querySelectorAll('[data-frame]')) f.value = state.frame; });
    $('recipes').showModal();
  }
  if (e.target.closest('[data-close]')) setTimeout(() => $('recipes').close(), 30);
  if (e.target.closest('[data-palette]')) commands();
});

// Sets a key on every value of the sheet that has keys already.
function keyAll() {
  const s = document.querySelector('[data-sheet]');
  const el = s && state.scene && [...state.scene.elements, ...state.scene.others].find((x) => x.id === s.dataset.owner);
  if (!el || !el.lanes) { note('This sheet has no keyed value yet: press the note beside a value.'); return; }
  json('keys', { label: 'key', changes: el.lanes.map((l) => ({ el: el.id, key: l.key, here: true })), bars: [] });
}

// Volumes from outside become the frames of a sequence.
document.addEventListener('change', (e) => {
  const id = e.target.dataset && e.target.dataset.sequence;
  if (!id || !e.target.files.length) return;
  const x = new XMLHttpRequest(), body = new FormData();
  for (const f of e.target.files) body.append('file', f);
  x.upload.onprogress = (p) => note(`sent ${(p.loaded / 1e6).toFixed(1)} of ${(p.total / 1e6).toFixed(1)} MB`);
  x.onload = () => {
    if (x.status !== 200) { note(x.responseText, true); return; }
    note(JSON.parse(x.responseText).notes.join('; ') || 'Brought in.');
    reloadAll();
    reload();
  };
  x.onerror = () => note('The server does not answer; nothing was kept.', true);
  x.open('POST', `/shots/${slug}/sequence/${encodeURIComponent(id)}`);
  x.setRequestHeader('X-Zarf-Page', mine());
  x.send(body);
});

// Tools of the picture, and files that are dropped on it.
document.addEventListener('click', (e) => {
  const t = e.target.closest('[data-paint], [data-curve]');
  if (!t || !view) return;
  const id = t.dataset.paint || t.dataset.curve;
  const el = state.scene && state.scene.elements.find((x) => x.id === id);
  if (!el) return;
  view.take(t.dataset.paint ? new Painter(view, slug, el, { note, mine, done: reloadAll }) : new Pen(view, el, { note, set: (text) => post('value', { kind: 'guide', id, key: 'points', frame: state.frame, v: text }) }));
});
function reloadAll() { htmx.ajax('GET', `/shots/${slug}/sheet?${sheetQuery()}`, { swap: 'none', target: '#live' }); }
bringIn({
  slug, note, mine, drop: $('picture'), chosen: () => chosenId(),
  show: (id) => { // the address first: whatever asks for the panels next then asks for this element's
    history.replaceState(null, '', `${location.pathname}?el=${encodeURIComponent(id)}`);
    htmx.ajax('GET', `/shots/${slug}/sheet?at=${station}&el=${encodeURIComponent(id)}`, { swap: 'none', target: '#live' });
  },
});

load().then(() => {
  if (compare && query().get('compare')) compare.show(query().get('compare').split(',').map(Number).filter((n) => n > 0), query().get('mode'), (query().get('looks') || '').split(',')); if (view) { view.choose(chosenId()); if (station !== 'stage') view.throughCamera(); } });

// For tests: what the picture holds.
window.zarf = { state, view, score, measure: () => (view ? view.measure() : 0), shown: () => view && view.picture.parts.length > 0, fire: () => (view ? Math.max(0, ...view.picture.parts.map((p) => p.glow || 0)) : 0), seek, draft, compare, probe, events };
