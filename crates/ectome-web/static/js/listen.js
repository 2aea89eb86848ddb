// What happens on the server, as events of a page. All tabs share one stream (stream.js); where a browser has no shared workers,
// each has its own. Either way a tab that nobody looks at does not listen, and learns what it missed when it is looked at again.

const here = document.currentScript.src;
/** How long the shared stream may say nothing after a tab has begun to listen, in milliseconds. The server says how things stand
 *  at once; a worker that says nothing for longer than this is one that the browser ended or never started. */
const SILENCE = 4000;
/** How long to wait before asking again for what could not be had, in milliseconds. */
const ASK_AGAIN = 2000;

/** As an EventSource that tells of one asset, or of the list: `busy`, `doing`, `changed`, `progress`. */
class Events extends EventTarget {
  constructor(url) {
    super();
    const asked = new URL(url, window.location.href).searchParams;
    this.asset = asked.get('asset');
    this.seen = asked.get('seen');
    this.told = {};
    /** @type {?MessagePort} */
    this.port = null;
    /** @type {number} */
    this.readyState = EventSource.OPEN;
    this.turn = () => (document.hidden ? this.#rest() : this.#listen());
    document.addEventListener('visibilitychange', this.turn);
    this.turn();
  }

  close() {
    this.#rest();
    document.removeEventListener('visibilitychange', this.turn);
    this.readyState = EventSource.CLOSED;
  }

  /** Has a list or an asset drawn again, because drawing it did not succeed. */
  again() {
    this.#say('changed', 'work');
  }

  #listen() {
    if (window.SharedWorker) {
      this.#share();
    } else {
      this.source = new EventSource('/events');
      this.source.addEventListener('state', (event) => this.#tell(JSON.parse(event.data)));
    }
  }

  /** Listens to the shared stream, and starts it anew where it says nothing. */
  #share() {
    this.port ??= new SharedWorker(here.replace('listen.js', 'stream.js')).port;
    this.port.onmessage = (message) => {
      window.clearTimeout(this.silence);
      this.#tell(JSON.parse(message.data));
    };
    this.port.postMessage('listen');
    window.clearTimeout(this.silence);
    this.silence = window.setTimeout(() => {
      this.port.postMessage('rest');
      this.port = null;
      this.#share();
    }, SILENCE);
  }

  #rest() {
    window.clearTimeout(this.silence);
    this.port?.postMessage('rest');
    this.source?.close();
  }

  #say(type, data) {
    this.dispatchEvent(new MessageEvent(type, { data }));
  }

  /** Says what is new of a state of the server. */
  #tell(state) {
    const { told } = this;
    if (state.busy !== told.busy) this.#say('busy', state.busy);
    if (!state.outage) {
      const marks = this.asset ? state.assets[this.asset] ?? state.none : state.all;
      const doing = this.asset ? state.doing[this.asset] ?? state.idle : state.progress;
      if (marks !== this.seen || told.outage) this.#say('changed', 'work');
      // A first state tells a list nothing that it was not drawn with.
      if (this.asset && doing !== told.doing) this.#say('doing', doing);
      if (!this.asset && told.doing !== undefined && doing !== told.doing) this.#say('progress', 'work');
      told.doing = doing;
      this.seen = marks;
    }
    told.busy = state.busy;
    told.outage = state.outage;
  }
}

// What could not be drawn is asked for again: the next event may be the last one for hours.
for (const failed of ['htmx:sendError', 'htmx:responseError']) {
  document.addEventListener(failed, (/** @type {any} */ event) => {
    if (!event.detail.elt.getAttribute('hx-trigger')?.includes('sse:changed')) return;
    window.setTimeout(() => streams.forEach((stream) => stream.again()), ASK_AGAIN);
  });
}

// A browser may keep a page that was left, for going back to it: its events end with it.
const streams = [];
htmx.createEventSource = (url) => {
  const stream = new Events(url);
  streams.push(stream);
  return stream;
};
window.addEventListener('pagehide', () => streams.forEach((stream) => stream.close()));
window.addEventListener('pageshow', (event) => { if (event.persisted) window.location.reload(); });
