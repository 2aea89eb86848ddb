// The Proof step: what stands on either side, fields, spots, directions, the wipe and true size.

import { length } from './words.js';

const at = (id) => document.getElementById(id);

export class Proof {
  /** `choose(number)` puts another candidate on the right; `relabel()` writes the stage's labels again. */
  constructor(stage, choose, relabel) {
    this.stage = stage;
    this.relabel = relabel;
    /** The number of the candidate on the left; 0 for the source. */
    this.left = 0;
    this.field = null;
    document.addEventListener('change', (event) => {
      const side = event.target.dataset?.side;
      if (side === 'right') choose(Number(event.target.value));
      if (side === 'left') {
        this.left = Number(event.target.value);
        this.relabel();
      }
    });
    document.addEventListener('click', (event) => {
      const { eye, field, spot } = event.target.closest('[data-eye], [data-field], [data-spot]')?.dataset ?? {};
      const numbers = (text) => text.split(',').map(Number);
      if (eye) stage.lookFrom(numbers(eye));
      if (field) this.#toggleField(field);
      if (spot) stage.setMarks([[numbers(spot), numbers(spot)]]);
    });
    this.#wipe(at('wipe'));
  }

  /** What the server says now; the left side stays if it is still there. */
  open(data) {
    this.data = data;
    if (!data.candidates.some((c) => c.number === this.left)) this.left = 0;
    const select = at('side-left');
    if (select) select.value = String(this.left);
    else this.left = 0;
    const onProof = Boolean(select);
    if (!onProof || this.field !== null) this.#showField(onProof ? this.field : null);
  }

  /** The candidate on the left, or undefined for the source. */
  beside() {
    return this.data.candidates.find((c) => c.number === this.left);
  }

  #toggleField(name) {
    this.#showField(this.field === name ? null : name);
  }

  #showField(name) {
    this.field = name;
    const c = this.data.candidates.find((one) => one.number === this.data.shown);
    const most = c?.deviationMm || 1;
    const mesh = (blob) => (blob ? `/mesh/${blob}.glb` : null);
    this.stage.setField('left', name === 'source' ? mesh(c?.sourceField) : null, most);
    this.stage.setField('right', name === 'result' ? mesh(c?.resultField) : null, most);
    document.querySelectorAll('[data-field]').forEach((b) => {
      b.setAttribute('aria-pressed', String(b.dataset.field === name));
    });
    const scale = at('field-scale');
    scale.hidden = !name;
    scale.classList.toggle('on-right', name === 'result');
    at('field-high').textContent = length(most);
  }

  /** The line that parts the two while they are wiped. */
  #wipe(line) {
    const move = (share) => {
      this.share = Math.min(0.98, Math.max(0.02, share));
      line.style.left = `${this.share * 100}%`;
      line.setAttribute('aria-valuenow', String(Math.round(this.share * 100)));
      this.stage.setWipe(this.share);
    };
    line.addEventListener('pointerdown', (event) => {
      event.preventDefault();
      line.setPointerCapture(event.pointerId);
      const box = this.stage.element.getBoundingClientRect();
      const follow = (e) => move((e.clientX - box.left) / box.width);
      const done = () => {
        line.removeEventListener('pointermove', follow);
        line.removeEventListener('pointerup', done);
      };
      line.addEventListener('pointermove', follow);
      line.addEventListener('pointerup', done);
    });
    line.addEventListener('keydown', (event) => {
      const by = { ArrowLeft: -0.02, ArrowRight: 0.02 }[event.key];
      if (by) move(this.share + by);
    });
    this.toggleWipe = () => {
      const on = line.hidden;
      line.hidden = !on;
      this.stage.element.classList.toggle('wiping', on);
      if (on) move(this.share ?? 0.5);
      else this.stage.setWipe(null);
      return on;
    };
  }

  /** Metres that a pixel of the brief's screen covers where the candidate on the right is seen. */
  pixel() {
    const c = this.data.candidates.find((one) => one.number === this.data.shown);
    return (this.data.pixelAtOneMetreMm / 1e3) * (c?.nearest ?? this.data.nearest);
  }
}
