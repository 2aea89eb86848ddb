// The Maps step: one map alone on the stage, and what the button will bake.

const at = (id) => document.getElementById(id);

export class Maps {
  /** `choose(number)` shows another candidate. */
  constructor(stage, choose) {
    this.stage = stage;
    /** The blob of the map that is shown alone. */
    this.alone = null;
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
      const map = target.closest('[data-map]');
      const shell = target.closest('[data-shell]');
      if (shell) this.#shell(this.shell === shell.dataset.shell ? null : shell.dataset.shell);
      if (map) this.#show(this.alone === map.dataset.map ? null : map.dataset.map, map.dataset.material);
    });
  }

  /** What the server says now; a map that is still there stays alone. */
  open(data) {
    this.data = data;
    this.#say();
    this.#glimpse();
    // A shell stays over the candidate that it belongs to.
    this.#shell(document.querySelector(`[data-shell="${this.shell}"]`) ? this.shell : null);
    const there = this.alone && document.querySelector(`[data-map="${this.alone}"]`);
    if (this.alone && !there) this.#show(null);
    else if (there) there.setAttribute('aria-pressed', 'true');
  }

  /** While maps are baked for what is on the stage, it wears the first of them as far as it is made. */
  #glimpse() {
    const { dataset } = document.querySelector('#doing [data-glimpse]') ?? {};
    const shown = this.data?.candidates.find((c) => c.number === this.data.shown);
    const blob = at('maps-form') && dataset && dataset.base === shown?.hash ? dataset.glimpse : null;
    if (blob === this.seen) return;
    this.seen = blob;
    this.stage.element.classList.toggle('glimpsing', Boolean(blob));
    if (blob) this.stage.showMap(`/picture/${blob}.png`);
    else if (!this.alone) this.stage.showMap(null);
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
    const count = form.querySelectorAll('input[name=map]:checked').length;
    const size = form.querySelector('[name=size]').value;
    at('bake').textContent = `Bake ${count} ${count === 1 ? 'map' : 'maps'} at ${size}`;
    for (const id of ['bake', 'trial']) at(id).disabled = count === 0;
  }
}
