// The Rebuild manner of the Cut step: a coarse skin on the stage, cut open by a plane; openings by their numbers.

const at = (id) => document.getElementById(id);

/** The answer of a server that is still opening what is asked for (202, RFC 9110). */
const OPENING = 202;

export class Rebuild {
  constructor(stage) {
    this.stage = stage;
    this.looking = false;
    document.addEventListener('click', (event) => {
      if (event.target.id === 'rebuild-look') this.#look();
    });
    document.addEventListener('input', (event) => {
      if (event.target.id === 'cut-open-at' || event.target.id === 'cut-open-axis') this.#cutOpen();
      if (event.target.closest?.('#rebuild-plane') || event.target.id === 'rebuild-clip') this.#tie();
    });
    // What is open and typed stays when the column is drawn anew.
    document.addEventListener('htmx:beforeSwap', (event) => {
      if (event.target.id === 'panel' && event.detail.shouldSwap) this.#keep();
    });
  }

  /** Whether a coarse skin is looked at: it stays on the stage until something else is shown. */
  holds(data) {
    return this.looking && this.data.shown === data.shown && Boolean(at('rebuild'));
  }

  open(data) {
    const holds = this.holds(data);
    this.data = data;
    this.#restore();
    const marks = document.querySelector('.skin')?.getAttribute('data-openings');
    if (!holds) {
      this.looking = false;
      this.stage.cutOpen(null);
      this.stage.setNumbers(marks ? JSON.parse(marks) : []);
    } else {
      at('cut-open').hidden = false;
      at('stage-note').textContent = '';
    }
    this.#tie();
  }

  #fields() {
    const form = at('rebuild-form');
    return form ? [...form.querySelectorAll('input:not([type=hidden]), select')] : [];
  }

  #keep() {
    const open = [...document.querySelectorAll('#rebuild, #rebuild details')].map((d) => d.open);
    const fields = this.#fields().filter((f) => f.id !== 'rebuild-to');
    this.kept = at('rebuild') && {
      open, says: at('rebuild-says').textContent, fields: fields.map(({ value, checked }) => ({ value, checked })),
    };
  }

  #restore() {
    if (!this.kept || !at('rebuild')) return;
    document.querySelectorAll('#rebuild, #rebuild details').forEach((d, i) => { d.open = this.kept.open[i] ?? d.open; });
    const fields = this.#fields().filter((f) => f.id !== 'rebuild-to');
    if (fields.length === this.kept.fields.length) fields.forEach((f, i) => Object.assign(f, this.kept.fields[i]));
    at('rebuild-says').textContent = this.kept.says;
    this.kept = null;
  }

  async #look() {
    const form = /** @type {HTMLFormElement} */ (at('rebuild-form'));
    const body = new URLSearchParams();
    for (const [name, value] of new FormData(form)) body.append(name, String(value));
    const button = at('rebuild-look');
    button.disabled = true;
    at('rebuild-says').textContent = 'Laying a coarse skin …';
    const ask = () => fetch(form.dataset.preview, { method: 'POST', body }).catch(() => null);
    let answer = await ask();
    while (answer?.status === OPENING) {
      await new Promise((done) => { setTimeout(done, 300); });
      answer = await ask();
    }
    if (answer?.ok) {
      const says = JSON.parse(answer.headers.get('x-skin'));
      await this.stage.preview(await answer.arrayBuffer());
      this.looking = true;
      this.stage.setNumbers(says.openings);
      at('stage-note').textContent = '';
      at('label-candidate').replaceChildren('Coarse skin');
      const detail = says.detail_mm.toPrecision(3);
      const closed = says.closed === 1 ? '1 opening closed' : `${says.closed} openings closed`;
      const parts = says.components === 1 ? 'in one piece' : `in ${says.components} pieces`;
      if (at('rebuild-says')) {
        at('rebuild-says').textContent = `A coarse skin at ${detail} mm, ${parts}, ${closed}. The skin itself is finer.`;
        at('cut-open').hidden = false;
        this.#cutOpen();
      }
    } else {
      const page = new DOMParser().parseFromString((await answer?.text()) ?? '', 'text/html');
      at('rebuild-says').textContent = page.querySelector('.sentence')?.textContent ?? 'The server did not answer. Try again.';
    }
    if (at('rebuild-look')) at('rebuild-look').disabled = false;
  }

  /** Takes away what lies in front of a plane across an axis. */
  #cutOpen() {
    const axis = Number(at('cut-open-axis').value);
    const share = Number(at('cut-open-at').value) / 100;
    this.stage.cutOpen(share < 1 ? { axis, share } : null);
  }

  /** Shows the plane to clip with while its box is ticked. */
  #tie() {
    const box = at('rebuild-clip');
    const on = Boolean(box?.checked) && at('rebuild').open;
    if (at('rebuild-plane')) at('rebuild-plane').hidden = !box.checked;
    if (!on) {
      if (this.tied) this.stage.setPlane(null);
      this.tied = false;
      return;
    }
    const fields = ['px', 'py', 'pz', 'nx', 'ny', 'nz'].map((name) => at('rebuild-plane').querySelector(`[name=${name}]`));
    const values = fields.map((f) => Number(f.value.replace(',', '.')));
    if (values.some(Number.isNaN) || values.slice(3).every((v) => v === 0)) return;
    this.tied = true;
    this.stage.setPlane({ point: values.slice(0, 3), normal: values.slice(3) }, (point, normal) => {
      [...point, ...normal].forEach((v, k) => { fields[k].value = v.toFixed(k < 3 ? 4 : 3); });
    });
  }
}
