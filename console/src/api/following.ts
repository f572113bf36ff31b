import { ask, askForStream } from "./http";
import type { components } from "./openapi";

/** One change, as the feed tells it. */
export type Told = components["schemas"]["Event"];

/** Whether what is shown follows what is stored, or the connection is gone. */
export type Link = "live" | "away";

/** How long until the service is asked again: what it says, or this; and longer where it does not answer. */
const AGAIN_MS = 2_000;
const LONGEST_MS = 15_000;
/** Nothing came for so long, though the service says that it is there every 15 seconds. */
const SILENT_MS = 40_000;
/** Seconds that a page may wait, where there is no stream to be had. */
const PATIENCE = 20;

interface Follower {
  onEvents: (events: Told[]) => void;
  onLink: (link: Link) => void;
}

/** Follows all that whoever is signed in may see, from now on; gives what ends it. A gap is caught up with. */
export function follow({ onEvents, onLink }: Follower): () => void {
  const ended = new AbortController();
  let cut = new AbortController();
  let goOn = () => {};
  // A browser that knows that it is cut off need not wait until that shows.
  window.addEventListener("offline", () => cut.abort(), { signal: ended.signal });
  window.addEventListener(
    "online",
    () => {
      goOn();
    },
    { signal: ended.signal },
  );
  let last: string | null = null;
  let wait = AGAIN_MS;
  const over = () => ended.signal.aborted;
  const go = async () => {
    while (!over()) {
      const began = Date.now();
      cut = new AbortController();
      try {
        const status = await streamed(
          last,
          AbortSignal.any([ended.signal, cut.signal]),
          (event) => {
            onEvents([event]);
          },
          (id) => (last = id),
          (ms) => (wait = ms),
          () => onLink("live"),
        );
        if (status === 401) return;
        if (status === 503 || status === 410) last = await paged(status === 410 ? null : last, ended.signal, onEvents);
      } catch {
        if (over()) return;
      }
      if (over()) return;
      if (Date.now() - began < wait) wait = Math.min(wait * 2, LONGEST_MS);
      else wait = AGAIN_MS;
      // Often it comes back at once.
      if (!navigator.onLine || wait > AGAIN_MS) onLink("away");
      await new Promise<void>((done) => {
        goOn = done;
        setTimeout(done, wait);
      });
    }
  };
  void go();
  return () => ended.abort();
}

/** Reads one stream to its end; gives its status. */
async function streamed(
  last: string | null,
  ended: AbortSignal,
  onEvent: (event: Told) => void,
  onPlace: (id: string) => void,
  onRetry: (ms: number) => void,
  onOpen: () => void,
): Promise<number> {
  const silent = new AbortController();
  const response = await askForStream("/v1/changes", last, AbortSignal.any([ended, silent.signal]));
  if (!response.ok || response.body === null) return response.status;
  onOpen();
  const reader = response.body.pipeThrough(new TextDecoderStream()).getReader();
  let text = "";
  for (;;) {
    const timer = setTimeout(() => silent.abort(), SILENT_MS);
    const { done, value } = await reader.read().finally(() => clearTimeout(timer));
    if (done) return response.status;
    text += value;
    const lines = text.split("\n");
    text = lines.pop() ?? "";
    for (const line of lines) {
      if (line.startsWith("retry: ")) onRetry(Number(line.slice(7)));
      if (line.startsWith("id: ")) onPlace(line.slice(4));
      if (line.startsWith("data: ")) onEvent(JSON.parse(line.slice(6)) as Told);
    }
  }
}

/** One page in place of a stream; gives the place to go on from. */
async function paged(after: string | null, signal: AbortSignal, onEvents: (events: Told[]) => void): Promise<string | null> {
  let onward: string | null = null;
  const onHeaders = (headers: Headers) => {
    onward = new URLSearchParams(/<[^>]*\?([^>]*)>/.exec(headers.get("Link") ?? "")?.[1]).get("after");
  };
  const query = after === null ? {} : { after, wait: PATIENCE };
  // Its media type is that of events, which `ask` does not know by type.
  const events = (await ask("/v1/changes", "get", { query, signal, onHeaders })) as unknown as Told[];
  if (after === null) onEvents([{ type: "fenland.reset" } as Told]);
  else if (events.length > 0) onEvents(events);
  return onward;
}

type Listener = (event: Told) => void;
const listeners = new Set<Listener>();

/** Has something called with each change, as long as somebody follows; gives what ends that. */
export function onTold(listener: Listener): () => void {
  listeners.add(listener);
  return () => void listeners.delete(listener);
}

/** Tells everybody of a change. */
export function tellOf(event: Told): void {
  for (const listener of listeners) listener(event);
}

/** The collection that a change is of. */
export function collectionOf(event: Told): string {
  return event.source.split("/").pop() ?? "";
}
