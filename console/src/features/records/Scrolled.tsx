import Box from "@mui/material/Box";
import { Component, createRef, useEffect, useEffectEvent, useRef, type ReactNode } from "react";

type End = "above" | "below";

interface Props {
  /** Tells the pages that are shown from others. */
  pages: string;
  /** An end is near, and somebody scrolls on. */
  onEnd: (end: End) => void;
  /** The row in the middle of the screen is another. */
  onMiddle: (id: string) => void;
  children: ReactNode;
}

/** How near an end is, in pixels, when the page behind it is asked for. */
const NEAR = 700;
/** For how long something was meant as scrolling, in milliseconds. */
const MEANT = 1_000;
const KEYS: Record<string, End> = {
  ArrowDown: "below",
  PageDown: "below",
  End: "below",
  " ": "below",
  ArrowUp: "above",
  PageUp: "above",
  Home: "above",
};

/** Rows that are scrolled through page by page: what is in sight stays where it is when others come or go above. */
export function Scrolled({ pages, onEnd, onMiddle, children }: Props) {
  const box = useRef<HTMLDivElement>(null);
  // Where somebody last meant to scroll to, and when: what leads elsewhere scrolls as well, and gives nothing more.
  const meant = useRef<{ to: End; at: number }>({ to: "below", at: -Infinity });
  const finger = useRef(0);
  const look = useEffectEvent(() => {
    const found = box.current?.getBoundingClientRect();
    const { to, at } = meant.current;
    if (found === undefined || performance.now() - at > MEANT) return;
    if (to === "below" ? found.bottom < window.innerHeight + NEAR : found.top > -NEAR) onEnd(to);
    const middle = document.elementFromPoint(found.left + 1, window.innerHeight / 2)?.closest<HTMLElement>("[data-id]");
    const id = middle?.dataset["id"];
    if (id !== undefined) onMiddle(id);
  });
  const note = useEffectEvent((event: Event) => {
    const to = towards(event, finger.current);
    finger.current = fingerIn(event) ?? finger.current;
    if (to === null) return;
    meant.current = { to, at: performance.now() };
    // At either end nothing scrolls any more.
    look();
  });
  useEffect(() => {
    const ways = ["wheel", "touchstart", "touchmove", "keydown"];
    for (const way of ways) window.addEventListener(way, note, { passive: true });
    window.addEventListener("scroll", look, { passive: true });
    return () => {
      for (const way of ways) window.removeEventListener(way, note);
      window.removeEventListener("scroll", look);
    };
  }, []);
  return (
    <Box ref={box} sx={{ overflowAnchor: "none" }}>
      <Anchored pages={pages}>{children}</Anchored>
    </Box>
  );
}

/** Where an event means to scroll to; null where it means something else. `finger` is where a finger was last. */
function towards(event: Event, finger: number): End | null {
  if (event instanceof WheelEvent) return event.deltaY === 0 ? null : event.deltaY > 0 ? "below" : "above";
  if (event instanceof KeyboardEvent) return KEYS[event.key] ?? null;
  const now = event.type === "touchmove" ? fingerIn(event) : null;
  return now === null || now === finger ? null : now < finger ? "below" : "above";
}

/** Where a finger is; not all browsers know of events of touching at all. */
function fingerIn(event: Event): number | null {
  return "touches" in event ? ((event as TouchEvent).touches[0]?.clientY ?? null) : null;
}

interface Anchor {
  id: string;
  top: number;
}

/** Keeps the topmost row in sight where it is, as browsers do that not all can. */
class Anchored extends Component<{ pages: string; children: ReactNode }> {
  private readonly box = createRef<HTMLDivElement>();

  override getSnapshotBeforeUpdate(before: { pages: string }): Anchor | null {
    if (before.pages === this.props.pages) return null;
    for (const row of this.box.current?.querySelectorAll<HTMLElement>("[data-id]") ?? []) {
      const { top, bottom } = row.getBoundingClientRect();
      if (bottom > 0) return top < window.innerHeight ? { id: row.dataset["id"] ?? "", top } : null;
    }
    return null;
  }

  override componentDidUpdate(_props: unknown, _state: unknown, anchor: Anchor | null): void {
    if (anchor === null) return;
    const row = this.box.current?.querySelector(`[data-id="${CSS.escape(anchor.id)}"]`);
    if (row) window.scrollBy(0, row.getBoundingClientRect().top - anchor.top);
  }

  override render(): ReactNode {
    return <div ref={this.box}>{this.props.children}</div>;
  }
}
