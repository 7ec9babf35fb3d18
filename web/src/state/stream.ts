/**
 * The event stream of the server, one for all tabs of a browser: it allows six connections to a server, and a stream keeps one for good.
 * A lock says whose it is; that tab passes on what it hears. A hidden tab lets go of it, so that nobody listens to nothing.
 */

const CHANNEL = "zincplate.events";
const LOCK = "zincplate.events";
/** How long after a refusal it is asked for again. */
const AGAIN_MS = 5000;

type Message = { text: string | null } | { ask: true };

/** Calls back with every text that comes, and with null when the connection is lost. Returns an end to it. */
export function followStream(url: string, heard: (text: string | null) => void): () => void {
  const shared = typeof navigator !== "undefined" && navigator.locks && typeof BroadcastChannel !== "undefined";
  return shared ? follow(url, heard) : open(url, heard);
}

function open(url: string, heard: (text: string | null) => void): () => void {
  let again: ReturnType<typeof setTimeout> | undefined;
  let source: EventSource;
  const connect = () => {
    source = new EventSource(url);
    source.onmessage = (event) => heard(event.data as string);
    source.onerror = () => {
      heard(null);
      // a lost connection is tried again by the browser, a refused one by nobody
      if (source.readyState === EventSource.CLOSED) again = setTimeout(connect, AGAIN_MS);
    };
  };
  connect();
  return () => {
    clearTimeout(again);
    source.close();
  };
}

function follow(url: string, heard: (text: string | null) => void): () => void {
  const channel = new BroadcastChannel(CHANNEL);
  let last: string | null = null;
  let leading = false;
  let release = () => {};
  let waiting: AbortController | null = null;
  const tell = (text: string | null) => {
    last = text;
    channel.postMessage({ text } satisfies Message);
    heard(text);
  };
  channel.onmessage = ({ data }: MessageEvent<Message>) => {
    if (!("ask" in data)) heard(data.text);
    else if (leading && last !== null) channel.postMessage({ text: last } satisfies Message);
  };
  const begin = () => {
    if (waiting) return;
    waiting = new AbortController();
    const lead = () =>
      new Promise<void>((done) => {
        leading = true;
        const close = open(url, tell);
        release = () => {
          leading = false;
          close();
          done();
        };
      });
    navigator.locks.request(LOCK, { signal: waiting.signal }, lead).catch(() => {}); // called off while it waited
    channel.postMessage({ ask: true } satisfies Message);
  };
  const end = () => {
    waiting?.abort();
    waiting = null;
    release();
    release = () => {};
  };
  const look = () => (document.visibilityState === "hidden" ? end() : begin());
  document.addEventListener("visibilitychange", look);
  look();
  return () => {
    document.removeEventListener("visibilitychange", look);
    end();
    channel.close();
  };
}
