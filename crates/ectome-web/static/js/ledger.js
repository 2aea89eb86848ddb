// The ledger of parts: choosing in the list or on the stage, sorting, filtering, hiding. What it asks for, the
// server does.

import { PickTool } from './tools.js';
import { grouped } from './words.js';

export class Ledger {
  constructor(stage) {
    this.stage = stage;
    this.chosen = new Set();
    this.hidden = new Set();
    this.tool = new PickTool((event) => stage.hit(event), (hit, event) => this.#pick(hit, event));
    document.addEventListener('change', (event) => {
      if (event.target.matches('#ledger [name=part]')) this.#fromBoxes();
    });
    document.addEventListener('input', (event) => {
      if (event.target.id === 'ledger-filter') this.#filter(event.target.value.toLowerCase());
    });
    document.addEventListener('click', (event) => {
      const sort = event.target.closest('[data-sort]');
      if (sort) this.#sort(sort.dataset.sort);
      if (event.target.closest('#hide-parts')) this.#hide();
      const name = event.target.closest('#ledger .name');
      if (name) name.closest('tr').querySelector('[name=part]').click();
    });
  }

  open(data) {
    this.data = data;
    const form = document.getElementById('ledger-form');
    if (!form || !data.parts) {
      this.stage.release(this.tool);
      this.stage.setParts(null);
      return;
    }
    this.stage.use(this.tool);
    document.getElementById('ledger-filter').value = this.text ?? '';
    this.#filter(this.text ?? '');
    this.#toBoxes();
    this.#show();
  }

  #rows() {
    return [...document.querySelectorAll('#ledger tbody tr')];
  }

  #parts(row) {
    return row.dataset.parts.split(',').map(Number);
  }

  #fromBoxes() {
    this.chosen.clear();
    for (const row of this.#rows()) {
      if (row.querySelector('[name=part]').checked) this.#parts(row).forEach((p) => this.chosen.add(p));
    }
    this.#show();
  }

  #toBoxes() {
    for (const row of this.#rows()) {
      row.querySelector('[name=part]').checked = this.#parts(row).some((p) => this.chosen.has(p));
    }
  }

  /** A click on the stage chooses the row of a part; with Ctrl or Shift it adds to the choice. */
  #pick(hit, event) {
    const more = event.ctrlKey || event.metaKey || event.shiftKey;
    if (!more) this.chosen.clear();
    const row = hit && this.#rows().find((r) => this.#parts(r).includes(hit.part));
    if (row) {
      const parts = this.#parts(row);
      const all = parts.every((p) => this.chosen.has(p));
      parts.forEach((p) => (all && more ? this.chosen.delete(p) : this.chosen.add(p)));
      row.scrollIntoView({ block: 'nearest' });
    }
    this.#toBoxes();
    this.#show();
  }

  #show() {
    // A click may come before the stage has the parts.
    if (!this.data?.parts) return;
    const { parts } = this.data;
    const sum = [...this.chosen].reduce((n, p) => n + (parts[p]?.triangles ?? 0), 0);
    const says = this.chosen.size
      ? `${this.chosen.size} ${this.chosen.size === 1 ? 'part' : 'parts'} chosen, ${grouped(sum)} triangles`
      : 'No part chosen';
    document.getElementById('chosen-says').textContent = says;
    document.querySelectorAll('#chosen-tools [name=change]').forEach((b) => { b.disabled = !this.chosen.size; });
    const built = [...this.hidden].filter((p) => parts[p]?.fate === 'build').length;
    document.getElementById('hidden-says').textContent = built
      ? `${built} of the built parts are hidden on the stage and ship all the same.` : '';
    document.getElementById('hide-parts').textContent = this.chosen.size || !this.hidden.size
      ? 'Hide on stage' : 'Show all on stage';
    const counts = document.getElementById('counts');
    counts.querySelector('.chosen-counts')?.remove();
    if (this.chosen.size) {
      const span = document.createElement('span');
      span.className = 'chosen-counts';
      span.textContent = `Selection ${says}`;
      counts.append(span);
    }
    this.#rows().forEach((row) => {
      row.classList.toggle('shown', this.#parts(row).some((p) => this.chosen.has(p)));
      row.classList.toggle('is-hidden', this.#parts(row).every((p) => this.hidden.has(p)));
    });
    this.stage.setParts({ chosen: this.chosen, hidden: this.hidden, fates: parts.map((p) => p.fate) });
  }

  #hide() {
    if (this.chosen.size) this.chosen.forEach((p) => this.hidden.add(p));
    else this.hidden.clear();
    this.chosen.clear();
    this.#toBoxes();
    this.#show();
  }

  #filter(text) {
    this.text = text;
    for (const row of this.#rows()) row.hidden = !row.dataset.search.includes(text);
  }

  #sort(key) {
    this.down = this.sorted === key ? !this.down : key !== 'amount';
    this.sorted = key;
    const value = (row) => (key === 'amount' ? Number(row.dataset.amount) : row.dataset[key]);
    const rows = this.#rows().sort((a, b) => {
      const [x, y] = [value(a), value(b)];
      return (typeof x === 'number' ? x - y : x.localeCompare(y)) * (this.down ? 1 : -1);
    });
    document.querySelector('#ledger tbody').append(...rows);
  }
}
