// Files dropped on the Assets page: sends them and shows how far they are. What they are, the server decides.

const drop = document.getElementById('drop');
const files = document.getElementById('files');
const list = document.getElementById('uploads');

/** Uploads under way. Leaving this page would break them off, so assets open beside it meanwhile. */
let running = 0;

document.addEventListener('click', (event) => {
  const link = event.target.closest('.card-asset a, .chip');
  if (!link || !running) return;
  event.preventDefault();
  window.open(link.href, '_blank');
});
window.addEventListener('beforeunload', (event) => {
  if (running) event.preventDefault();
});

function send(chosen) {
  if (!chosen.length) return;
  const names = [...chosen].map((file) => file.name).join(', ');
  const row = document.createElement('div');
  row.className = 'upload';
  const name = document.createElement('code');
  name.textContent = names;
  const state = document.createElement('span');
  const bar = document.createElement('progress');
  bar.className = 'progress';
  bar.max = 1;
  bar.value = 0;
  row.append(name, state, bar);
  list.append(row);

  running += 1;
  const form = new FormData();
  for (const file of chosen) form.append('files', file, file.name);
  const request = new XMLHttpRequest();
  request.open('POST', '/assets');
  request.setRequestHeader('x-requested-by', 'assets');
  request.upload.onprogress = (event) => {
    if (!event.lengthComputable) return;
    bar.value = event.loaded / event.total;
    state.textContent = bar.value < 1
      ? `${Math.floor(100 * bar.value)} %, assets open in a tab of their own meanwhile`
      : 'Sorting the files';
  };
  request.onloadend = () => { running -= 1; };
  const fail = (sentence) => {
    bar.remove();
    state.textContent = '';
    const fault = document.createElement('span');
    fault.className = 'fault';
    fault.textContent = sentence;
    row.append(fault);
  };
  request.onload = () => {
    if (request.status === 201) {
      row.remove();
      return;
    }
    const page = new DOMParser().parseFromString(request.responseText, 'text/html');
    fail(page.querySelector('.sentence')?.textContent ?? `The server refused (${request.status}).`);
  };
  request.onerror = () => fail('The upload broke off. Nothing was kept; drop the files again.');
  request.send(form);
}

files.addEventListener('change', () => {
  send(files.files);
  files.value = '';
});
for (const kind of ['dragenter', 'dragover']) {
  document.addEventListener(kind, (event) => {
    event.preventDefault();
    drop.classList.add('over');
  });
}
document.addEventListener('dragleave', (event) => {
  if (!event.relatedTarget) drop.classList.remove('over');
});
document.addEventListener('drop', (event) => {
  event.preventDefault();
  drop.classList.remove('over');
  send(event.dataTransfer.files);
});
