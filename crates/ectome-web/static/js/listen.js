// Streams of events end with their page. A browser may keep a page it left, stream and all, for going back to it; six such pages
// would hold all connections it allows itself to one server, and the next page would wait for a minute.

const streams = [];
htmx.createEventSource = (url) => {
  const stream = new EventSource(url, { withCredentials: true });
  streams.push(stream);
  return stream;
};
window.addEventListener('pagehide', () => streams.forEach((stream) => stream.close()));
window.addEventListener('pageshow', (event) => { if (event.persisted) window.location.reload(); });
