// The Maps step: one map alone on the stage, what the button will bake, and the brush for the reach of rays.

import { StrokeTool } from './tools.js';

const at = (id) => document.getElementById(id);

/** The radius of the brush, in diagonals of the asset. */
const BRUSH = 0.02;

export class Maps {
  /** `choose(number)` shows another candidate. */
  constructor(stage, choose) {
    this.stage = stage;
    /** The blob of the map that is shown alone. */
    this.alone = null;
    /** What the brush painted and nobody baked yet: balls in metres. */
    this.painted = [];
    this.brush = new StrokeTool((event) => this.stage.hit(event, 'right'), (hit) => this.#paint(hit));
    this.painting = false;
    /** The name of the map that the stage wears while maps are baked. */
    this.glimpsed = '';
    at('glimpse-of').addEventListener('change', ({ target }) => {
      this.glimpsed = target.value;
      this.#glimpse();
    });
    new MutationObserver(() => this.#glimpse()).observe(at('doing'), { childList: true, subtree: true });
    document.addEventListener('change', ({ target }) => {
      if (target.matches('[data-maps-on]')) choose(Number(target.value));
      if (target.id === 'add-map') this.#add(target);
      if (target.closest('#maps-form')) this.#say();
    });
    document.addEventListener('input', ({ target }) => {
      if (target.closest('#maps-form')) this.#say();
    });
    document.addEventListener('click', ({ target }) => {
      if (target.id === 'brush') this.#take(!this.painting);
      if (target.id === 'brush-clear') this.#wipe();
      const map = target.closest('[data-map]');
      const shell = target.closest('[data-shell]');
      if (shell) this.#shell(this.shell === shell.dataset.shell ? null : shell.dataset.shell);
      if (map) this.#show(this.alone === map.dataset.map ? null : map.dataset.map, map.dataset.material);
    });
  }

  /** What the server says now; a map that is still there stays alone. */
  open(data) {
    const before = this.data?.shown;
    this.data = data;
    if (before !== data.shown) this.painted = [];
    if (at('brush')) this.#take(this.painting);
    else this.#drop();
    this.#say();
    this.#glimpse();
    // A shell stays over the candidate that it belongs to.
    this.#shell(document.querySelector(`[data-shell="${this.shell}"]`) ? this.shell : null);
    const there = this.alone && document.querySelector(`[data-map="${this.alone}"]`);
    if (this.alone && !there) this.#show(null);
    else if (there) there.setAttribute('aria-pressed', 'true');
  }

  /** Takes the brush up, or puts it away. */
  #take(on) {
    this.painting = on;
    at('brush')?.setAttribute('aria-pressed', String(on));
    if (on) this.stage.use(this.brush);
    else this.stage.release(this.brush);
    this.#brushed();
  }

  /** Another step: nothing is painted there. */
  #drop() {
    if (this.painting || this.painted.length) this.stage.setBalls([]);
    this.painting = false;
    this.painted = [];
    this.stage.release(this.brush);
  }

  #wipe() {
    this.painted = [];
    this.#brushed();
  }

  /** A ball where the brush is, unless it is as good as there. */
  #paint({ point }) {
    const [low, high] = this.data.bounds;
    const radius = Math.hypot(...point.map((_, k) => high[k] - low[k])) * BRUSH;
    const near = this.painted.some((b) => Math.hypot(...point.map((v, k) => v - b.at[k])) < radius / 2);
    if (near) return;
    this.painted.push({ at: point, radius });
    this.#brushed();
  }

  /** The form says what is painted. */
  #brushed() {
    const n = this.painted.length;
    const says = at('brush-says');
    if (says) says.textContent = n ? `Painted: ${n} ${n === 1 ? 'place' : 'places'}` : 'Nothing painted';
    const form = at('maps-form');
    const field = form?.querySelector('[name=brush]');
    if (field) field.value = n ? JSON.stringify(this.painted) : '';
    this.#canGoAgain();
    this.stage.setBalls(this.painted);
  }

  /** There is something to bake again when something is painted, or taken back. */
  #canGoAgain() {
    const button = at('bake-again');
    const taken = document.querySelector('#maps-form [name=painted]:not(:checked)');
    if (button) button.disabled = !this.painted.length && !taken;
  }

  /** While maps are baked for what is on the stage, it wears one of them as far as it is made: the first, or the one chosen. */
  #glimpse() {
    const { dataset } = document.querySelector('#doing [data-glimpse]') ?? {};
    const shown = this.data?.candidates.find((c) => c.number === this.data.shown);
    const blob = at('maps-form') && dataset && dataset.base === shown?.hash ? dataset.glimpse : null;
    const names = blob ? dataset.names.split('|') : [];
    const index = Math.max(0, names.indexOf(this.glimpsed));
    const seen = blob && `${blob}#${index}`;
    if (seen === this.seen) return;
    this.seen = seen;
    this.#offer(names, index);
    this.stage.element.classList.toggle('glimpsing', Boolean(blob));
    if (blob) this.stage.showMapOf(`/picture/${blob}.png`, index, names.length);
    else if (!this.alone) this.stage.showMap(null);
  }

  /** The maps that are being baked, to choose from; an open list is left as it is. */
  #offer(names, index) {
    const select = /** @type {HTMLSelectElement} */ (at('glimpse-of'));
    select.parentElement.hidden = names.length === 0;
    const there = [...select.options].map((option) => option.value);
    if (there.join('|') !== names.join('|')) select.replaceChildren(...names.map((name) => new Option(name, name)));
    select.selectedIndex = names.length ? index : -1;
  }

  /** Another map becomes a line of its own. */
  #add(select) {
    const line = document.querySelector(`.maps [data-kind="${select.value}"]`);
    if (line) {
      line.hidden = false;
      line.querySelector('[name=map]').checked = true;
      select.querySelector(`[value="${select.value}"]`).remove();
    }
    select.value = '';
    this.#say();
  }

  #shell(blob) {
    this.shell = blob;
    document.querySelectorAll('[data-shell]').forEach((b) => b.setAttribute('aria-pressed', String(b.dataset.shell === blob)));
    this.stage.setShell(blob ? `/mesh/${blob}.glb` : null);
  }

  #show(blob, material) {
    this.alone = blob;
    document.querySelectorAll('[data-map]').forEach((b) => b.setAttribute('aria-pressed', String(b.dataset.map === blob)));
    this.stage.showMap(blob ? `/picture/${blob}.png` : null, material);
  }

  /** The button says what it does. */
  #say() {
    const form = at('maps-form');
    if (!form) return;
    this.#canGoAgain();
    const count = form.querySelectorAll('input[name=map]:checked').length;
    const size = form.querySelector('[name=size]').value;
    at('bake').textContent = `Bake ${count} ${count === 1 ? 'map' : 'maps'} at ${size}`;
    for (const id of ['bake', 'trial']) at(id).disabled = count === 0;
  }
}
