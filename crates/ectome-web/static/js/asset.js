// One asset: ties the Rule, the stage and the column together.

import './kept.js';
import { Attention } from './attention.js';
import { Intake } from './intake.js';
import { Ledger } from './ledger.js';
import { Maps } from './maps.js';
import { Proof } from './proof.js';
import { Rebuild } from './rebuild.js';
import { Rule } from './rule.js';
import { Settings } from './settings.js';
import { Stage } from './stage.js';
import { PickTool, StrokeTool } from './tools.js';
import { Uvs } from './uvs.js';
import { grouped } from './words.js';

const at = (id) => document.getElementById(id);
let data = null;
let target = null;

const rule = new Rule(at('rule'), (n) => {
  setTarget(n, rule);
  look(n);
}, choose);
const stage = new Stage(at('stage'), at('canvas'), at('stage-note'));

function setTarget(n, from) {
  target = n;
  if (from !== rule) rule.setTarget(n);
  const input = at('target');
  if (input && from !== input) input.value = grouped(n);
  const button = at('cut-button');
  if (button) button.textContent = `Cut to ${grouped(n)}`;
  document.querySelectorAll('[data-target]').forEach((field) => { field.value = n; });
  document.querySelectorAll('.go-to').forEach((b) => { b.textContent = grouped(n); });
  document.querySelectorAll('.go-on').forEach((b) => { b.textContent = `Cut on to ${grouped(n)}`; });
}

// While the pin moves, the stage follows: one request at a time, the latest count wins.
let looking = false;
let wanted = null;
/** The answer of a server that is still opening or analysing what is asked for (202, RFC 9110). */
const OPENING = 202;
/** How often it is asked again; with the pauses between and the server's own patience, minutes. */
const ASKED_AGAIN = 200;

async function look(n) {
  wanted = n;
  if (looking || !data.curve) return;
  looking = true;
  let again = ASKED_AGAIN;
  while (wanted !== null) {
    const count = wanted;
    wanted = null;
    const answer = await fetch(`/assets/${data.asset}/preview/${count}`).catch(() => null);
    if (answer?.status === OPENING && again > 0) {
      again -= 1;
      at('stage-note').textContent = 'Getting the source ready …';
      await new Promise((done) => { setTimeout(done, 300); });
      wanted ??= count;
      continue;
    }
    if (!answer?.ok || answer.status === OPENING) {
      wanted = null;
      at('stage-note').textContent = '';
      break;
    }
    const triangles = Number(answer.headers.get('x-triangles'));
    await stage.preview(await answer.arrayBuffer());
    at('stage-note').textContent = '';
    const label = at('label-candidate');
    label.replaceChildren('Preview ', Object.assign(document.createElement('b'), { textContent: grouped(triangles) }));
  }
  looking = false;
}

const intake = new Intake(stage);
const ledger = new Ledger(stage);
const proof = new Proof(stage, choose, showStage);
const uvs = new Uvs(stage, choose);
const maps = new Maps(stage, choose);
const rebuild = new Rebuild(stage);
const settings = new Settings(redraw);

/** How places of the source are taken: by strokes of a brush, point by point, or not at all. */
let taking = null;
let balls = [];
const takers = {
  paint: new StrokeTool((event) => stage.hit(event), stroke),
  pick: Object.assign(new PickTool((event) => stage.hit(event), (hit) => hit && stroke(hit)), { draws: true }),
};

/** Paints a protected region onto the source: balls along the strokes, or one at each point that is picked. */
function stroke(hit) {
  const size = Math.hypot(...[0, 1, 2].map((k) => data.bounds[1][k] - data.bounds[0][k]));
  const radius = size * (taking === 'pick' ? 0.002 : 0.02);
  const place = taking === 'pick' ? hit.vertex : hit.point;
  const near = balls.some((b) => Math.hypot(...place.map((v, k) => v - b.at[k])) < radius * 0.5);
  if (near) return;
  balls.push({ at: place, radius });
  showRegion();
  settings.changeSoon();
}

function showRegion() {
  const says = at('region-says');
  const places = balls.length === 1 ? '1 place' : `${grouped(balls.length)} places`;
  if (says) says.textContent = balls.length ? `Protected: ${places}` : 'No protected region';
  const field = document.querySelector('#settings-form [name=region]');
  if (field) field.value = JSON.stringify(balls);
  stage.setBalls(balls);
}

function openSettings() {
  const bar = document.querySelector('.attention');
  if (!bar) {
    Object.values(takers).forEach((tool) => stage.release(tool));
    stage.setBalls([]);
    return;
  }
  new Attention(bar, () => settings.change());
  showRegion();
  press(at('paint'), taking === 'paint');
  press(at('pick'), taking === 'pick');
  Object.values(takers).forEach((tool) => stage.release(tool));
  if (taking) stage.use(takers[taking]);
}

const digits = (text) => Number(text.replace(/\s/g, ''));

function nameChainButton() {
  const [first, ratio, count] = ['first', 'ratio', 'tiers'].map((id) => digits(at(id)?.value ?? ''));
  if (!(first >= 16 && ratio > 0 && count >= 1 && count <= 8)) return;
  const tiers = Array.from({ length: count }, (_, i) => grouped(Math.floor(first * (ratio / 100) ** i)));
  at('chain-button').textContent = `Make ${tiers.join(', ')}`;
}

/** Puts the two sides on the stage and says what they are. */
function showStage() {
  const mesh = (blob) => (blob ? `/mesh/${blob}.glb` : null);
  const shown = data.candidates.find((c) => c.number === data.shown);
  const beside = proof.beside();
  const labels = /** @type {DocumentFragment} */ (at('labels').content.cloneNode(true));
  const [source, candidate] = labels.children;
  at('label-source').replaceChildren(...source.childNodes);
  if (beside) {
    const count = Object.assign(document.createElement('b'), { textContent: grouped(beside.triangles) });
    at('label-source').replaceChildren(`Candidate ${beside.number} `, count);
  }
  at('label-candidate').replaceChildren(...candidate.childNodes);
  // On the UVs step the sheet stands on the left, and what it belongs to on the right, be it the source.
  const right = at('uvs') && !shown ? data.sourceMesh : shown?.mesh;
  stage.show(mesh(beside?.mesh ?? data.sourceMesh), mesh(right), data.bounds);
}

/** Reads what the server says about the asset now. */
function refresh() {
  data = JSON.parse(at('data').textContent);
  at('steps').replaceChildren(at('tabs').content.cloneNode(true));
  at('counts').replaceChildren(at('counts-text').content.cloneNode(true));
  const shown = data.candidates.find((c) => c.number === data.shown);
  const note = at('stage-note');
  if (!data.sourceMesh) note.textContent = '';
  else note.textContent = shown || at('uvs') ? '' : 'No candidate yet. Drag the pin on the Rule, then cut.';
  rule.target = target ?? data.target;
  rule.show(data);
  setTarget(target ?? data.target);
  if (at('first')) nameChainButton();
  balls = data.balls ?? [];
  openSettings();
  proof.open(data);
  if (!rebuild.holds(data)) showStage();
  intake.open(data);
  ledger.open(data);
  uvs.open(data);
  maps.open(data);
  rebuild.open(data);
}

/** Shows another candidate without leaving the page. */
function choose(number) {
  const address = new URL(location.href);
  if (number || at('uvs')) address.searchParams.set('show', number);
  history.replaceState(null, '', address);
  const panel = at('panel');
  const path = panel.getAttribute('hx-get').split('?')[0];
  const query = number || at('uvs') ? `?show=${number}` : '';
  panel.setAttribute('hx-get', path + query);
  htmx.process(panel);
  redraw();
}

/** Asks for the column anew. */
function redraw() {
  htmx.ajax('GET', at('panel').getAttribute('hx-get'), { target: '#panel', swap: 'innerHTML' });
}

document.addEventListener('htmx:afterSwap', (event) => {
  if (event.target.id === 'panel') refresh();
});

// A column that is drawn anew while something in it is dragged would drop the drag, while something is typed into it the text,
// and while a preview is on its way its place: it waits for all of them.
let dragging = false;
let previews = 0;
let late = false;

const isTyped = (field) => field?.closest('#panel') && field.matches('input, textarea') && field.value !== field.defaultValue;
const isBusy = () => dragging || previews > 0 || isTyped(document.activeElement);

function catchUp() {
  if (!late || isBusy()) return;
  late = false;
  // After what the end of the drag itself sends.
  setTimeout(redraw, 0);
}

document.addEventListener('pointerdown', (event) => { dragging = Boolean(event.target.closest('#panel')); });
for (const over of ['pointerup', 'pointercancel']) {
  document.addEventListener(over, () => {
    dragging = false;
    catchUp();
  });
}
document.addEventListener('focusout', () => setTimeout(catchUp, 0));
const isPreview = (event) => event.detail.pathInfo?.requestPath?.endsWith('/changes/preview')
  || event.detail.requestConfig?.path?.endsWith('/changes/preview');
document.addEventListener('htmx:beforeSend', (event) => { previews += Number(isPreview(event)); });
document.addEventListener('htmx:afterRequest', (event) => {
  previews = Math.max(0, previews - Number(isPreview(event)));
  const form = event.detail.elt;
  if (event.detail.successful && form.matches?.('form')) {
    // What was sent is no longer being typed.
    form.querySelectorAll('input, textarea').forEach((field) => { field.defaultValue = field.value; });
  }
  catchUp();
});
document.addEventListener('htmx:beforeSwap', (event) => {
  if (event.target.id !== 'panel') return;
  // A column from before the last change of the settings would take the change back: another is asked for once it is told.
  const old = settings.isOld(event.detail.xhr);
  if (!old && !isBusy()) return;
  event.detail.shouldSwap = false;
  if (!old) late = true;
});

document.addEventListener('htmx:responseError', (event) => {
  const page = new DOMParser().parseFromString(event.detail.xhr.responseText, 'text/html');
  const fault = at('form-fault');
  if (fault) fault.textContent = page.querySelector('.sentence')?.textContent ?? 'The server refused.';
});
document.addEventListener('change', (event) => {
  if (event.target.closest('#settings-form')) settings.change();
});
document.addEventListener('input', (event) => {
  if (event.target.id === 'target') {
    const n = digits(event.target.value);
    if (n >= 4 && n < data.source) {
      setTarget(n, event.target);
      look(n);
    }
  }
  if (['first', 'ratio', 'tiers'].includes(event.target.id)) nameChainButton();
  if (event.target.id === 'chain-from') {
    document.querySelectorAll('[name=from]').forEach((field) => { field.value = event.target.value; });
  }
});
document.addEventListener('click', (event) => {
  if (event.target.id === 'paint' || event.target.id === 'pick') {
    taking = taking === event.target.id ? null : event.target.id;
    openSettings();
  }
  if (event.target.id === 'paint-clear') {
    balls = [];
    showRegion();
    settings.change();
  }
  const link = event.target.closest('[data-show]');
  if (link) {
    event.preventDefault();
    choose(Number(link.dataset.show));
  }
});

const button = (selector) => document.querySelector(`.view-keys ${selector}`);
const press = (element, on) => element.setAttribute('aria-pressed', String(on));

const VIEWS = ['textured', 'lit', 'plain', 'outline'];

const actions = {
  edges() {
    stage.setEdges(!stage.edges);
    press(button('[data-toggle=edges]'), stage.edges);
  },
  light() {
    stage.setLightMode(!stage.lightMode);
    press(button('[data-toggle=light]'), stage.lightMode);
  },
  wipe() {
    press(button('[data-toggle=wipe]'), proof.toggleWipe());
  },
  size() {
    stage.trueSize(proof.pixel());
  },
  view(name) {
    stage.setView(name);
    document.querySelectorAll('[data-view]').forEach((b) => press(b, b.dataset.view === name));
  },
  flick(on) {
    stage.setFlick(on);
    button('[data-do=flick]').classList.toggle('held', on);
  },
  step(by) {
    const numbers = data.candidates.map((c) => c.number);
    const next = numbers[numbers.indexOf(data.shown) + by];
    if (next !== undefined) choose(next);
  },
  more(factor) {
    setTarget(Math.max(4, Math.min(data.source - 1, Math.round(target * factor))));
    look(target);
  },
  help() {
    const keys = at('keys');
    keys.hidden = !keys.hidden;
    if (!keys.hidden) keys.scrollIntoView({ block: 'nearest' });
  },
};

document.querySelectorAll('[data-view]').forEach((b) => b.addEventListener('click', () => actions.view(b.dataset.view)));
button('[data-toggle=edges]').addEventListener('click', actions.edges);
button('[data-toggle=light]').addEventListener('click', actions.light);
button('[data-toggle=wipe]').addEventListener('click', actions.wipe);
button('[data-do=size]').addEventListener('click', actions.size);
button('[data-do=frame]').addEventListener('click', () => stage.frame());
button('[data-do=flick]').addEventListener('pointerdown', () => actions.flick(true));
document.addEventListener('pointerup', () => stage.flick && actions.flick(false));
at('help-button').addEventListener('click', actions.help);

// Enter in a field does what stands beside it, or tries it where it would change the source; nothing where nothing does.
document.addEventListener('keydown', (event) => {
  const field = event.target;
  if (event.key !== 'Enter' || !field.matches('#panel form input:not([type=checkbox], [type=radio])')) return;
  const does = field.dataset.enter ? at(field.dataset.enter) : field.form.querySelector('[data-default]');
  if (!does) return;
  event.preventDefault();
  if (!does.disabled) does.click();
});

// Who speaks to the machine, or whose hand shakes, can switch keys off that do something without Ctrl or Alt.
const keysOn = /** @type {HTMLInputElement} */ (at('keys-on'));
keysOn.checked = localStorage.getItem('keys') !== 'off';
keysOn.addEventListener('change', () => localStorage.setItem('keys', keysOn.checked ? 'on' : 'off'));

// Held by the keyboard as by the pointer.
const flickButton = /** @type {HTMLElement} */ (button('[data-do=flick]'));
flickButton.addEventListener('keydown', (event) => {
  if ((event.key === ' ' || event.key === 'Enter') && !event.repeat) actions.flick(true);
});
flickButton.addEventListener('keyup', () => actions.flick(false));
flickButton.addEventListener('blur', () => stage.flick && actions.flick(false));

const typing = (element) => element.matches('input, select, textarea');
document.addEventListener('keydown', (event) => {
  if (!keysOn.checked || typing(event.target) || event.ctrlKey || event.metaKey || event.altKey) return;
  const onButton = event.target.matches('button, a');
  switch (event.key) {
    case ' ':
      if (onButton) return;
      event.preventDefault();
      if (!event.repeat) actions.flick(true);
      break;
    case 'e': case 'E': actions.edges(); break;
    case 'l': case 'L': actions.light(); break;
    case 'w': case 'W': actions.wipe(); break;
    case 't': case 'T': actions.size(); break;
    case 'g': case 'G': actions.view(VIEWS[(VIEWS.indexOf(stage.view) + 1) % VIEWS.length]); break;
    case '0': stage.frame(); break;
    case '[': actions.step(-1); break;
    case ']': actions.step(1); break;
    case ',': actions.more(0.9); break;
    case ';': actions.more(1.1); break;
    case '?': actions.help(); break;
    default: if (/^[1-9]$/.test(event.key)) document.querySelector(`[data-step="${event.key}"]`)?.click();
  }
});
document.addEventListener('keyup', (event) => {
  if (event.key === ' ' && stage.flick) actions.flick(false);
});

refresh();
