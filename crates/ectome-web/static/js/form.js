// Pages that are one form: faults stand in the form, and what is typed is not redrawn away.

let typed = false;
document.addEventListener('input', () => { typed = true; });
document.addEventListener('htmx:beforeSwap', (event) => {
  if (typed && event.target.id === 'scene-result') event.detail.shouldSwap = false;
});
document.addEventListener('htmx:responseError', (event) => {
  const page = new DOMParser().parseFromString(event.detail.xhr.responseText, 'text/html');
  const fault = document.getElementById('form-fault');
  if (!fault) return;
  fault.textContent = page.querySelector('.sentence')?.textContent ?? 'The server refused.';
  fault.scrollIntoView({ block: 'nearest' });
});
