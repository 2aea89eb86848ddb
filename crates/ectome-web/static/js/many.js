// Ticks on cards stay when the cards are drawn anew, and are counted.

const ticked = new Set();
const says = document.getElementById('ticked-says');
const room = document.getElementById('cards');

/** @returns {HTMLInputElement[]} */
const boxes = () => [...document.querySelectorAll('#cards input[name="asset"]')].filter((b) => b instanceof HTMLInputElement);

function count() {
  if (says) says.textContent = ticked.size === 0 ? 'none ticked' : `${ticked.size} ticked`;
}

/** @param {(box: HTMLInputElement) => boolean} on */
function tick(on) {
  for (const box of boxes()) {
    box.checked = on(box);
    if (box.checked) ticked.add(box.value);
    else ticked.delete(box.value);
  }
  count();
}

document.addEventListener('change', (event) => {
  const box = event.target;
  if (!(box instanceof HTMLInputElement) || box.name !== 'asset') return;
  if (box.checked) ticked.add(box.value);
  else ticked.delete(box.value);
  count();
});
room?.addEventListener('htmx:afterSwap', () => {
  for (const box of boxes()) box.checked = ticked.has(box.value);
});
document.getElementById('tick-all')?.addEventListener('click', () => tick(() => true));
document.getElementById('tick-none')?.addEventListener('click', () => {
  ticked.clear();
  tick(() => false);
});
tick((box) => box.checked);
