import { queryOptions, skipToken } from "@tanstack/react-query";
import { collections } from "./collections";
import { ask } from "./http";
import { inCollection } from "./records";
import type { CollectionInfo, Row } from "./types";

/** How a list is shown, as a record of a collection of views keeps it. */
export interface KeptView {
  id: string;
  /** By what the record is addressed. */
  key: string;
  version: number;
  title: string;
  where: string;
  q: string;
  sort: string;
  columns: string[];
  /** Whether it is what the list opens with. */
  first: boolean;
  own: boolean;
}

/** Views that are offered of one collection at most. */
const MOST = 200;

/** The collection that keeps views, where the project has one and whoever asks may read any. */
export const homeOfViews = queryOptions({
  ...collections,
  select: (all) => all.find((one) => one.views && one.may.read) ?? null,
});

/** The views of a collection that whoever asks may see, by title; their own are told from others'. */
export const viewsOf = (home: CollectionInfo | null | undefined, collection: string, account: string) =>
  queryOptions({
    queryKey: [...inCollection(home?.name ?? ""), "views", collection],
    queryFn: home
      ? async ({ signal }) => {
          const query = { where: `collection == ${JSON.stringify(collection)}`, sort: "title", limit: MOST };
          return (await ask("/v1/records/{collection}", "get", { at: { collection: home.name }, query, signal })).items;
        }
      : skipToken,
    select: (rows) => rows.map((row) => viewFrom(row, home ?? null, account)),
    staleTime: 60_000,
  });

function viewFrom(row: Row, home: CollectionInfo | null, account: string): KeptView {
  const owner = home?.owner ?? null;
  const key = row[home?.key ?? "id"];
  const text = (name: string) => (typeof row[name] === "string" ? row[name] : "");
  const columns = Array.isArray(row["columns"]) ? row["columns"].filter((one) => typeof one === "string") : [];
  return {
    id: row.id,
    key: typeof key === "string" || typeof key === "number" ? String(key) : row.id,
    version: row.version,
    title: text("title"),
    where: text("where"),
    q: text("q"),
    sort: text("sort"),
    columns,
    first: row["first"] === true,
    own: owner === null || row[owner] === account,
  };
}
