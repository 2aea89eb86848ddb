// What is open and typed stays when the column is drawn anew, which it is whenever work ends: for every element with a data-kept name.

const KEPT = '[data-kept]';
const FIELDS = 'input:not([type=hidden]), select';

/** @type {Map<string, {open: boolean, fields: ({value: string, checked: boolean} | null)[]}>} */
let kept = new Map();

// Only what was changed by hand: the rest may say something new.
function typed(field) {
  const { value, checked } = field;
  if (field.localName === 'select') {
    const given = [...field.options].find((o) => o.defaultSelected) ?? field.options[0];
    return given && given.value !== value ? { value, checked } : null;
  }
  return value !== field.defaultValue || checked !== field.defaultChecked ? { value, checked } : null;
}

document.addEventListener('htmx:beforeSwap', (event) => {
  if (event.target.id !== 'panel' || !event.detail.shouldSwap) return;
  const all = /** @type {NodeListOf<HTMLDetailsElement>} */ (document.querySelectorAll(KEPT));
  kept = new Map([...all].map((e) => [e.dataset.kept, { open: e.open, fields: [...e.querySelectorAll(FIELDS)].map(typed) }]));
});

document.addEventListener('htmx:afterSwap', (event) => {
  if (event.target.id !== 'panel') return;
  const all = /** @type {NodeListOf<HTMLDetailsElement>} */ (document.querySelectorAll(KEPT));
  for (const element of all) {
    const before = kept.get(element.dataset.kept);
    if (!before) continue;
    element.open ||= before.open;
    const fields = [...element.querySelectorAll(FIELDS)];
    if (fields.length === before.fields.length) fields.forEach((f, i) => Object.assign(f, before.fields[i] ?? {}));
  }
});

export {};
