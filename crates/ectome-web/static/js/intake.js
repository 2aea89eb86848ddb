// The Intake step: shows findings on the stage, ties planes to their forms.

export class Intake {
  constructor(stage) {
    this.stage = stage;
    this.shown = null;
    document.addEventListener('click', (event) => {
      const show = event.target.closest('[data-finding]');
      if (show) this.#show(show);
      const turn = event.target.closest('[data-plane]');
      if (turn) this.#turn(turn);
    });
    document.addEventListener('toggle', (event) => {
      if (event.target.querySelector?.(':scope > [data-holds-plane]')) this.#tie(event.target);
    }, true);
    document.addEventListener('input', (event) => {
      const form = event.target.closest('[data-holds-plane]');
      if (form) this.#tie(form.parentElement);
    });
    document.addEventListener('htmx:responseError', (event) => {
      const line = event.detail.elt.closest?.('.repair')?.querySelector('.preview');
      const page = new DOMParser().parseFromString(event.detail.xhr.responseText, 'text/html');
      if (line) line.textContent = page.querySelector('.sentence')?.textContent ?? 'The server refused.';
    });
    document.addEventListener('htmx:beforeRequest', (event) => {
      const line = event.detail.elt.closest?.('.repair')?.querySelector('.preview');
      if (line) line.textContent = 'Working it out …';
    });
    document.addEventListener('htmx:beforeSwap', (event) => {
      if (event.target.id === 'panel' && event.detail.shouldSwap) this.#keep();
    });
    document.addEventListener('asked', () => {
      document.querySelectorAll('.preview').forEach((line) => { line.textContent = ''; });
    });
  }

  open(data) {
    // A column that is drawn anew over the same source goes on showing what it showed.
    const same = this.data?.sourceMesh === data.sourceMesh;
    this.data = data;
    const button = same && this.shown !== null && document.querySelector(`[data-finding="${this.shown}"]`);
    if (button) {
      button.setAttribute('aria-pressed', 'true');
    } else if (this.shown !== null || !same) {
      this.shown = null;
      this.stage.setMarks([]);
    }
    this.#restore();
    this.#tie(document.querySelector('details[open]:has(> [data-holds-plane])'));
  }

  /** The column is drawn anew whenever work ends: what is open and typed must not be lost by that. */
  #keep() {
    this.kept = [...document.querySelectorAll('details[data-repair][open]')].map((details) => ({
      where: details.closest('.more') ? '.more' : '.findings',
      kind: details.dataset.repair,
      fields: [...details.querySelectorAll('input:not([type=hidden]), select')]
        .map(({ value, checked }) => ({ value, checked })),
      preview: [...(details.querySelector('.preview')?.childNodes ?? [])],
    }));
  }

  #restore() {
    for (const { where, kind, fields, preview } of this.kept ?? []) {
      const details = document.querySelector(`${where} [data-repair=${kind}]`);
      if (!details) continue;
      details.open = true;
      const line = details.querySelector('.preview');
      if (line) line.replaceChildren(...preview);
      details.querySelectorAll('input:not([type=hidden]), select').forEach((field, i) => {
        field.value = fields[i]?.value ?? field.value;
        field.checked = fields[i]?.checked ?? field.checked;
      });
    }
    this.kept = [];
  }

  async #show(button) {
    const number = button.dataset.finding;
    const off = this.shown === number;
    document.querySelectorAll('[data-finding]').forEach((b) => b.setAttribute('aria-pressed', 'false'));
    this.shown = off ? null : number;
    if (off) {
      this.stage.setMarks([]);
      this.stage.frame();
      return;
    }
    button.setAttribute('aria-pressed', 'true');
    const answer = await fetch(`/assets/${this.data.asset}/marks/${number}`).catch(() => null);
    if (answer?.ok && this.shown === number) this.stage.setMarks(await answer.json());
  }

  #fields(details) {
    return ['px', 'py', 'pz', 'nx', 'ny', 'nz'].map((name) => details.querySelector(`[name=${name}]`));
  }

  /** Shows the plane of an open form; a drag on the stage writes its place into the form. */
  #tie(details) {
    if (!details?.open) {
      this.stage.setPlane(null);
      return;
    }
    const fields = this.#fields(details);
    const values = fields.map((f) => Number(f.value.replace(',', '.')));
    if (values.some(Number.isNaN) || values.slice(3).every((v) => v === 0)) return;
    this.stage.setPlane({ point: values.slice(0, 3), normal: values.slice(3) }, (point, normal) => {
      [...point, ...normal].forEach((v, k) => { fields[k].value = v.toFixed(k < 3 ? 4 : 3); });
    });
  }

  #turn(button) {
    const details = button.closest('details');
    const fields = this.#fields(details);
    const axis = 'xyz'.indexOf(button.dataset.plane);
    fields.slice(3).forEach((field, k) => {
      field.value = axis < 0 ? String(-Number(field.value) || 0) : String(Number(k === axis));
    });
    this.#tie(details);
  }
}
