// One asset: ties the Rule, the stage and the column together.

import { Rule } from './rule.js';
import { Stage } from './stage.js';
import { grouped } from './words.js';

const at = (id) => document.getElementById(id);
let data = null;
let target = null;

const rule = new Rule(at('rule'), (n) => setTarget(n, rule), choose);
const stage = new Stage(at('stage'), at('canvas'), at('stage-note'));

function setTarget(n, from) {
  target = n;
  if (from !== rule) rule.setTarget(n);
  const input = at('target');
  if (input && from !== input) input.value = grouped(n);
  const button = at('cut-button');
  if (button) button.textContent = `Cut to ${grouped(n)}`;
}

const digits = (text) => Number(text.replace(/\s/g, ''));

function nameChainButton() {
  const first = digits(at('first')?.value ?? '');
  if (first >= 16) {
    const tiers = [first, first / 2, first / 4].map((n) => grouped(Math.floor(n)));
    at('chain-button').textContent = `Make ${tiers.join(', ')}`;
  }
}

/** Reads what the server says about the asset now. */
function refresh() {
  data = JSON.parse(at('data').textContent);
  at('steps').replaceChildren(at('tabs').content.cloneNode(true));
  at('counts').replaceChildren(at('counts-text').content.cloneNode(true));
  const [source, candidate] = at('labels').content.cloneNode(true).children;
  at('label-source').replaceChildren(...source.childNodes);
  at('label-candidate').replaceChildren(...candidate.childNodes);
  const shown = data.candidates.find((c) => c.number === data.shown);
  const note = at('stage-note');
  if (!data.sourceMesh) note.textContent = '';
  else note.textContent = shown ? '' : 'No candidate yet. Drag the pin on the Rule, then cut.';
  rule.target = target ?? data.target;
  rule.show(data);
  setTarget(target ?? data.target);
  if (at('first')) nameChainButton();
  const mesh = (blob) => (blob ? `/mesh/${blob}.glb` : null);
  stage.show(mesh(data.sourceMesh), mesh(shown?.mesh), data.bounds);
}

/** Shows another candidate without leaving the page. */
function choose(number) {
  const address = new URL(location.href);
  address.searchParams.set('show', number);
  history.replaceState(null, '', address);
  const panel = at('panel');
  const path = panel.getAttribute('hx-get').split('?')[0];
  panel.setAttribute('hx-get', `${path}?show=${number}`);
  htmx.process(panel);
  htmx.ajax('GET', `${path}?show=${number}`, { target: '#panel', swap: 'innerHTML' });
}

document.addEventListener('htmx:afterSwap', (event) => {
  if (event.target.id === 'panel') refresh();
});
document.addEventListener('htmx:responseError', (event) => {
  const page = new DOMParser().parseFromString(event.detail.xhr.responseText, 'text/html');
  const fault = at('form-fault');
  if (fault) fault.textContent = page.querySelector('.sentence')?.textContent ?? 'The server refused.';
});
document.addEventListener('input', (event) => {
  if (event.target.id === 'target') {
    const n = digits(event.target.value);
    if (n >= 4 && n < data.source) setTarget(n, event.target);
  }
  if (event.target.id === 'first') nameChainButton();
});
document.addEventListener('click', (event) => {
  const link = event.target.closest('[data-show]');
  if (link) {
    event.preventDefault();
    choose(Number(link.dataset.show));
  }
});

const button = (selector) => document.querySelector(`.view-keys ${selector}`);
const press = (element, on) => element.setAttribute('aria-pressed', String(on));

const actions = {
  edges() {
    stage.setEdges(!stage.edges);
    press(button('[data-toggle=edges]'), stage.edges);
  },
  light() {
    stage.setLightMode(!stage.lightMode);
    press(button('[data-toggle=light]'), stage.lightMode);
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
button('[data-do=frame]').addEventListener('click', () => stage.frame());
button('[data-do=flick]').addEventListener('pointerdown', () => actions.flick(true));
document.addEventListener('pointerup', () => stage.flick && actions.flick(false));
at('help-button').addEventListener('click', actions.help);

const typing = (element) => element.matches('input, select, textarea');
document.addEventListener('keydown', (event) => {
  if (typing(event.target) || event.ctrlKey || event.metaKey || event.altKey) return;
  const onButton = event.target.matches('button, a');
  switch (event.key) {
    case ' ':
      if (onButton) return;
      event.preventDefault();
      if (!event.repeat) actions.flick(true);
      break;
    case 'e': case 'E': actions.edges(); break;
    case 'l': case 'L': actions.light(); break;
    case 'g': case 'G': actions.view(stage.view === 'textured' ? 'lit' : 'textured'); break;
    case '.': stage.frame(); break;
    case '[': actions.step(-1); break;
    case ']': actions.step(1); break;
    case ',': actions.more(0.9); break;
    case ';': actions.more(1.1); break;
    case '?': actions.help(); break;
    default: document.querySelector(`[data-step="${event.key}"]`)?.click();
  }
});
document.addEventListener('keyup', (event) => {
  if (event.key === ' ' && stage.flick) actions.flick(false);
});

refresh();
