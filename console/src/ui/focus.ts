import { useEffect, useRef } from "react";
import { useLocation } from "react-router";

const REACHABLE = 'a[href], button, input, textarea, select, [role="combobox"], [tabindex]';

const home = () => document.querySelector<HTMLElement>("main");
const isUsable = (one: HTMLElement) => one.isConnected && !one.matches(":disabled");

/** What an element is to people: its successor has the same name, when a part of the page was drawn anew. */
function nameOf(one: HTMLElement): string {
  const label = one instanceof HTMLInputElement || one instanceof HTMLTextAreaElement ? one.labels?.[0]?.textContent : null;
  return `${one.tagName} ${one.getAttribute("aria-label") ?? label ?? one.textContent}`;
}

function around(one: HTMLElement): HTMLElement[] {
  const found: HTMLElement[] = [];
  for (let at: HTMLElement | null = one; at !== null; at = at.parentElement) found.push(at);
  return found;
}

/**
 * Watches where the focus is. When what has it goes or is disabled, it returns there once it can; until then, or
 * where there is nothing of that name any more, it goes to the nearest part of the page that can take it.
 */
function keepFocus(): { forget: () => void; end: () => void } {
  let held: HTMLElement[] = [];
  let name = "";
  let lost = false;
  let moving = false;
  const give = (one: HTMLElement) => {
    moving = true;
    one.focus({ preventScroll: true });
    moving = false;
  };
  const remember = ({ target }: FocusEvent) => {
    if (moving || !(target instanceof HTMLElement)) return;
    held = around(target);
    name = nameOf(target);
    lost = false;
  };
  // Who clicks beside everything has left it on purpose.
  const leave = () => (lost = false);
  const look = () => {
    const [last, ...places] = held;
    if (last === undefined || (!lost && isUsable(last))) return;
    lost = true;
    const place = places.find((one) => one.isConnected) ?? home();
    const alike = last.isConnected
      ? last
      : [...(place?.querySelectorAll<HTMLElement>(REACHABLE) ?? [])].find((one) => nameOf(one) === name);
    if (alike && isUsable(alike)) {
      give(alike);
      held = around(alike);
      lost = false;
      return;
    }
    const stay = places.find((one) => one.isConnected && one.hasAttribute("tabindex")) ?? home();
    if (stay !== null && document.activeElement !== stay) give(stay);
  };
  const observer = new MutationObserver(look);
  observer.observe(document.body, { subtree: true, childList: true, attributes: true, attributeFilter: ["disabled"] });
  document.addEventListener("focusin", remember);
  document.addEventListener("pointerdown", leave);
  return {
    forget: () => {
      held = [];
      lost = false;
    },
    end: () => {
      observer.disconnect();
      document.removeEventListener("focusin", remember);
      document.removeEventListener("pointerdown", leave);
    },
  };
}

/** Keeps the focus in the page: another page begins at its content, and no change of a page sends it to the start. */
export function useFocusKept(): void {
  const { pathname } = useLocation();
  const shown = useRef(pathname);
  const keeper = useRef<ReturnType<typeof keepFocus>>(null);
  useEffect(() => {
    const begun = keepFocus();
    keeper.current = begun;
    return begun.end;
  }, []);
  useEffect(() => {
    if (shown.current === pathname) return;
    shown.current = pathname;
    const active = document.activeElement;
    // What the new page has put it on itself keeps it.
    if (active !== home() && home()?.contains(active)) return;
    keeper.current?.forget();
    home()?.focus();
  }, [pathname]);
}
