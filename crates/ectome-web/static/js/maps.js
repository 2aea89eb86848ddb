// The Maps step: one map alone on the stage, and what the button will bake.

const at = (id) => document.getElementById(id);

export class Maps {
  /** `choose(number)` shows another candidate. */
  constructor(stage, choose) {
    this.stage = stage;
    /** The blob of the map that is shown alone. */
    this.alone = null;
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
      if (map) this.#show(this.alone === map.dataset.map ? null : map.dataset.map);
    });
  }

  /** What the server says now; a map that is still there stays alone. */
  open() {
    this.#say();
    const there = this.alone && document.querySelector(`[data-map="${this.alone}"]`);
    if (this.alone && !there) this.#show(null);
    else if (there) there.setAttribute('aria-pressed', 'true');
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

  #show(blob) {
    this.alone = blob;
    document.querySelectorAll('[data-map]').forEach((b) => b.setAttribute('aria-pressed', String(b.dataset.map === blob)));
    this.stage.showMap(blob ? `/picture/${blob}.png` : null);
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
