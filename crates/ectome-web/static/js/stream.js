// The one stream of events of a browser, shared by all its tabs: browsers allow six connections to a server, and a stream holds
// one for as long as it lasts. A shared worker; it listens while any tab that is looked at wants to know.

/** How long to wait before opening a stream again that the server refused, in milliseconds. A stream that merely breaks off is
 *  opened again by the browser itself. */
const AGAIN = 2000;

let source = null;
let latest = null;
const listening = new Set();

function open() {
  source = new EventSource('/events');
  source.addEventListener('state', (event) => {
    latest = event.data;
    listening.forEach((port) => port.postMessage(latest));
  });
  const opened = source;
  source.addEventListener('error', () => {
    if (opened.readyState !== EventSource.CLOSED) return;
    self.setTimeout(() => { if (source === opened) open(); }, AGAIN);
  });
}

function close() {
  source?.close();
  source = null;
  latest = null;
}

self.addEventListener('connect', (/** @type {any} */ connection) => {
  const port = connection.ports[0];
  port.onmessage = (message) => {
    if (message.data === 'listen') {
      listening.add(port);
      if (!source) open();
      if (latest) port.postMessage(latest);
    } else {
      listening.delete(port);
      if (!listening.size) close();
    }
  };
});
