// Says aloud what changes on a page while somebody reads it with a screen reader: work that begins and ends, counts, verdicts.
//
// Whatever has `data-announce="key"` is watched. Its words are said when they change; work also when it comes and goes. Nothing is
// said that only follows the pointer, and nothing before the page has settled.

const REST = 400;

const said = document.getElementById('said');
let known = null;
let waiting = 0;

function read() {
  const now = new Map();
  document.querySelectorAll('[data-announce]').forEach((element) => {
    const { announce: key } = /** @type {HTMLElement} */ (element).dataset;
    const words = element.textContent.replace(/\s+/g, ' ').trim();
    if (words) now.set(key, words);
  });
  return now;
}

function tell() {
  waiting = 0;
  const now = read();
  if (known) {
    const news = [];
    for (const [key, words] of now) {
      if (known.get(key) === words) continue;
      news.push(key.startsWith('work-') ? `Begun: ${words}` : words);
    }
    for (const [key, words] of known) if (key.startsWith('work-') && !now.has(key)) news.push(`Ended: ${words}`);
    if (news.length) said.textContent = news.join('. ');
  }
  known = now;
}

function later() {
  if (!waiting) waiting = window.setTimeout(tell, REST);
}

new MutationObserver((changes) => {
  if (changes.some(({ target }) => target !== said && !said.contains(target))) later();
}).observe(document.body, { childList: true, characterData: true, subtree: true });
later();
