// The settings of a cut on their way to the server. Every change made on the page is counted, and so is how many of them the server
// has been told of: a column that was asked for before the last change is not shown, and nothing is made without it.

/** Milliseconds that a hand rests between strokes, and until settings that found no server go again. */
const REST = 700;
const AGAIN = 2000;

export class Settings {
  #redraw;
  /** Changes made on this page, and how many of them the server has been told of. */
  #changes = 0;
  #told = 0;
  /** Settings that are on their way, and what waits for them to arrive. */
  #underway = 0;
  /** @type {(() => void)[]} */
  #waiting = [];
  /** What goes once the hand rests; 0 when nothing does. */
  #later = 0;
  /** How much the server had been told when something was asked of it. @type {WeakMap<XMLHttpRequest, number>} */
  #asked = new WeakMap();

  /** @param {() => void} redraw asks for the column with the settings anew */
  constructor(redraw) {
    this.#redraw = redraw;
    document.addEventListener('htmx:beforeSend', (/** @type {any} */ event) => this.#goes(event.detail));
    document.addEventListener('htmx:confirm', (/** @type {any} */ event) => this.#holdBack(event));
    // Who leaves the page right after a stroke leaves with the stroke.
    window.addEventListener('pagehide', () => {
      const form = this.#form();
      if ((this.#later || this.#underway) && form) navigator.sendBeacon(form.action, new URLSearchParams(/** @type {any} */ (new FormData(form))));
    });
  }

  /** Something in the form was changed. */
  change() {
    this.#changes += 1;
    this.#send();
  }

  /** Something in the form was changed, and more of it is likely to follow at once. */
  changeSoon() {
    this.#changes += 1;
    this.#sendIn(REST);
  }

  /** Whether the answer to a request is from before the last change. @param {XMLHttpRequest} request */
  isOld(request) {
    return (this.#asked.get(request) ?? this.#told) < this.#changes;
  }

  #form() {
    return /** @type {HTMLFormElement | null} */ (document.getElementById('settings-form'));
  }

  #sendIn(milliseconds) {
    clearTimeout(this.#later);
    this.#later = window.setTimeout(() => this.#send(), milliseconds);
  }

  #send() {
    clearTimeout(this.#later);
    this.#later = 0;
    const form = this.#form();
    if (form) htmx.trigger(form, 'settings');
  }

  /** @param {{ elt: Element, xhr: XMLHttpRequest }} request */
  #goes({ elt, xhr }) {
    this.#asked.set(xhr, this.#told);
    if (elt.id !== 'settings-form') return;
    const count = this.#changes;
    this.#underway += 1;
    // Asked of the request itself: the form may be drawn anew by then, and what happens to one that is gone is not heard here.
    xhr.addEventListener('loadend', () => this.#arrived(xhr.status, count));
  }

  /** Settings with so many changes were answered, or not (status 0). */
  #arrived(status, count) {
    this.#underway -= 1;
    if (status > 0) {
      this.#told = Math.max(this.#told, count);
      // What was changed meanwhile and has no time of its own to go, or must not wait for that time.
      if (this.#told < this.#changes && (!this.#later || this.#waiting.length > 0)) this.#send();
    } else if (!this.#later) {
      this.#sendIn(AGAIN);
    }
    if (this.#underway > 0) return;
    this.#waiting.forEach((go) => go());
    this.#waiting = [];
    if (status > 0 && status < 400 && this.#told === this.#changes) this.#redraw();
  }

  /** What is asked for right after a change is made with the change: the settings go first. */
  #holdBack(event) {
    const { elt, verb, issueRequest } = event.detail;
    if (elt.id === 'settings-form' || verb === 'get') return;
    if (this.#later) this.#send();
    if (this.#underway === 0) return;
    event.preventDefault();
    this.#waiting.push(() => issueRequest(true));
  }
}
