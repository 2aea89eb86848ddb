// What happens on the server, as events of a page. All tabs share one stream (stream.js); where a browser has no shared workers,
// each has its own. Either way a tab that nobody looks at does not listen, and learns what it missed when it is looked at again.

const here = document.currentScript.src;

/** As an EventSource that tells of one asset, or of the list: `busy`, `doing`, `changed`, `progress`. */
class Events extends EventTarget {
  constructor(url) {
    super();
    const asked = new URL(url, window.location.href).searchParams;
    this.asset = asked.get('asset');
    this.seen = asked.get('seen');
    this.told = {};
    /** @type {number} */
    this.readyState = EventSource.OPEN;
    if (window.SharedWorker) {
      this.port = new SharedWorker(here.replace('listen.js', 'stream.js')).port;
      this.port.onmessage = (message) => this.#tell(JSON.parse(message.data));
    }
    this.turn = () => (document.hidden ? this.#rest() : this.#listen());
    document.addEventListener('visibilitychange', this.turn);
    this.turn();
  }

  close() {
    this.#rest();
    document.removeEventListener('visibilitychange', this.turn);
    this.readyState = EventSource.CLOSED;
  }

  #listen() {
    if (this.port) {
      this.port.postMessage('listen');
    } else {
      this.source = new EventSource('/events');
      this.source.addEventListener('state', (event) => this.#tell(JSON.parse(event.data)));
    }
  }

  #rest() {
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

// A browser may keep a page that was left, for going back to it: its events end with it.
const streams = [];
htmx.createEventSource = (url) => {
  const stream = new Events(url);
  streams.push(stream);
  return stream;
};
window.addEventListener('pagehide', () => streams.forEach((stream) => stream.close()));
window.addEventListener('pageshow', (event) => { if (event.persisted) window.location.reload(); });
