import { useSearchParams } from "react-router";
import type { Search } from "../../api/history";

const NAMES = ["collection", "actor", "action", "field", "reason", "where", "from", "to"] as const;

/** The filters of the page, which its address holds. */
export function useSearch() {
  const [query, setQuery] = useSearchParams();
  const search = Object.fromEntries(NAMES.map((name) => [name, query.get(name) ?? ""])) as unknown as Search;
  const change = (parts: Partial<Search>) => {
    const next = Object.entries({ ...search, ...parts }).filter(([, value]) => value !== "");
    setQuery(Object.fromEntries(next), { replace: true });
  };
  return { search, change };
}
