import { useQuery } from "@tanstack/react-query";
import { useLocation } from "react-router";
import { pageOf } from "../../../api/records";
import { textOf } from "../../../ui/fields";

/** The place of a list that somebody came from: its address behind the question mark, and the pages before it. */
export interface CameFrom {
  list: string;
  trail?: string[];
}

/** What a record's page leads back to from here: the list, where this is one. */
export function useWayBack(collection: string): CameFrom | null {
  const here = useLocation();
  if (here.pathname !== `/c/${collection}`) return null;
  return { list: here.search, trail: (here.state as { trail?: string[] } | null)?.trail ?? [] };
}

interface Neighbour {
  key: string;
  from: CameFrom;
}

interface Neighbours {
  before: Neighbour | null;
  after: Neighbour | null;
}

/** The records before and after one in the list that somebody came from, over the ends of its pages. */
export function useNeighbours(collection: string, keyName: string, recordKey: string, from: CameFrom | null): Neighbours {
  const params = new URLSearchParams(from?.list ?? "");
  const read = (name: string) => params.get(name) ?? "";
  const wanted = { q: read("q"), where: read("where") };
  const trail = from?.trail ?? [];
  const here = useQuery({ ...pageOf(collection, wanted, read("sort"), read("after")), enabled: from !== null });
  const keys = here.data?.items.map((row) => textOf(row[keyName])) ?? [];
  const at = keys.indexOf(recordKey);
  const onward = here.data?.next ?? null;
  const behind = trail.at(-1);
  const ends = at >= 0 && at === keys.length - 1 && onward !== null;
  const begins = at === 0 && behind !== undefined;
  const next = useQuery({ ...pageOf(collection, wanted, read("sort"), onward ?? ""), enabled: from !== null && ends });
  const last = useQuery({ ...pageOf(collection, wanted, read("sort"), behind ?? ""), enabled: from !== null && begins });
  if (from === null || at < 0) return { before: null, after: null };
  const page = Math.max(2, Number(read("page")) || 1);
  const listAt = (after: string, number: number) => {
    const one = new URLSearchParams(params);
    for (const [name, value] of [
      ["after", after],
      ["page", after === "" ? "" : String(number)],
    ] as const) {
      if (value === "") one.delete(name);
      else one.set(name, value);
    }
    return one.size > 0 ? `?${one}` : "";
  };
  const found = (key: string | undefined, where: CameFrom): Neighbour | null => (key === undefined ? null : { key, from: where });
  const first = textOf(next.data?.items[0]?.[keyName]);
  const end = textOf(last.data?.items.at(-1)?.[keyName]);
  return {
    before:
      at > 0
        ? found(keys[at - 1], from)
        : begins && !last.isPlaceholderData && end !== ""
          ? found(end, { list: listAt(behind, page - 1), trail: trail.slice(0, -1) })
          : null,
    after:
      at < keys.length - 1
        ? found(keys[at + 1], from)
        : ends && !next.isPlaceholderData && first !== ""
          ? found(first, {
              list: listAt(onward, (Number(read("page")) || 1) + 1),
              trail: [...trail, read("after")],
            })
          : null,
  };
}
