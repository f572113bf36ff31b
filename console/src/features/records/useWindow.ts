import { useQuery, type DefaultError } from "@tanstack/react-query";
import { useState } from "react";
import { pageOf } from "../../api/records";
import type { Page } from "../../api/types";
import type { ListView } from "./useListView";
import { longer, type Part, type Span } from "./window";

/** Addresses of a scrolling that are remembered. */
const MOST_OWN = 20;

export interface Window {
  /** The pages that are there, below each other. */
  parts: Part[];
  span: Span;
  /** What is shown until they are there: the page of before. */
  old: Page | undefined;
  coming: boolean;
  error: DefaultError | null;
  refetch: () => Promise<unknown>;
  /** Why a page beside them cannot be shown. */
  trouble: DefaultError | null;
  /** Shows another page at an end, if there is one. */
  more: (end: "above" | "below") => void;
  /** Notes in the address that a page is where one is now. */
  at: (number: number) => void;
  /** Shows a page alone. */
  jump: (end: "above" | "below") => void;
  /** Whether there is a page behind. */
  behind: boolean;
}

interface Held extends Span {
  list: string;
  /** Where the pages up to the first that is shown begin, as far as that is known. */
  begins: string[];
  /** The page that one is at. */
  current: number;
  /** Addresses that scrolling has led to: it takes a moment until one is there. */
  own: string[];
}

const addressOf = (page: number, after: string) => `${page} ${after}`;

/** The pages of a list that are shown: the one of the address, and those beside it once they are scrolled to. */
export function useWindow(collection: string, view: ListView): Window {
  const list = [collection, view.q, view.where, view.sort].join("\n");
  const address = addressOf(view.page, view.after);
  const begins = [...view.trail, view.after];
  const anew: Held = { list, begins, first: view.page, last: view.page, current: view.page, own: [address] };
  const [held, setHeld] = useState<Held>(anew);
  // Whatever else leads to another page begins with that alone.
  const now = held.list === list && held.own.includes(address) ? held : anew;
  const { first, last } = now;
  const count = last - first;
  // Those of later pages follow from the pages before them, whatever others put there meanwhile.
  const one = usePage(collection, view, `${first} ${list}`, now.begins.at(-1) ?? "");
  const two = usePage(collection, view, `${first + 1} ${list}`, count > 0 ? one.next : null);
  const three = usePage(collection, view, `${first + 2} ${list}`, count > 1 ? two.next : null);
  const pages = [one, two, three].slice(0, count + 1);
  const onward = pages.at(-1)?.next ?? null;
  const all = [...now.begins, ...pages.flatMap(({ next }) => next ?? [])];
  /** Where the pages up to the one with a number begin. */
  const upTo = (number: number) => all.slice(0, now.begins.length + number - first);
  const before = now.begins.length > 1;
  return {
    parts: pages.flatMap(({ page }, place) => (page ? [{ number: first + place, page }] : [])),
    span: { first, last },
    old: one.old,
    coming: one.coming,
    error: one.error,
    refetch: async () => {
      await Promise.all(pages.map((each) => each.refetch()));
    },
    trouble: two.error ?? three.error,
    behind: onward !== null,
    more: (end) => {
      if (pages.some(({ page }) => page === undefined) || !(end === "above" ? before : onward !== null)) return;
      const wider = longer({ first, last }, end);
      setHeld({ ...now, ...wider, begins: upTo(wider.first) });
    },
    at: (number) => {
      if (number === now.current) return;
      const cursors = upTo(number);
      const own = [...now.own, addressOf(number, cursors.at(-1) ?? "")].slice(-MOST_OWN);
      setHeld({ ...now, current: number, own });
      view.turn(number, cursors, true);
    },
    jump: (end) => {
      // Of what is before the page of an address that somebody else made, only the beginning is known.
      const number = end === "below" ? last + 1 : before ? first - 1 : 1;
      const cursors = end === "below" || before ? upTo(number) : [""];
      const own = [addressOf(number, cursors.at(-1) ?? "")];
      setHeld({ list, begins: cursors, first: number, last: number, current: number, own });
      view.turn(number, cursors);
    },
  };
}

/** A page that begins behind a cursor; null: it is not known yet, or not wanted. `of` tells it from others. */
function usePage(collection: string, view: ListView, of: string, after: string | null) {
  const found = useQuery({ ...pageOf(collection, view, view.sort, after ?? ""), enabled: after !== null });
  const [held, setHeld] = useState<{ of: string; page: Page }>();
  const own = after === null || found.isPlaceholderData ? undefined : found.data;
  // What it was stays, while others change what is before it, so that it begins elsewhere.
  if (own !== undefined && (held?.of !== of || held.page !== own)) setHeld({ of, page: own });
  const page = own ?? (after !== null && held?.of === of ? held.page : undefined);
  return {
    page,
    next: page?.next ?? null,
    old: found.data,
    coming: found.isPlaceholderData,
    error: after === null ? null : found.error,
    refetch: found.refetch,
  };
}
