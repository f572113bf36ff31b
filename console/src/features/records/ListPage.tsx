import Box from "@mui/material/Box";
import Button from "@mui/material/Button";
import LinearProgress from "@mui/material/LinearProgress";
import Typography from "@mui/material/Typography";
import { keepPreviousData, useInfiniteQuery, useQuery } from "@tanstack/react-query";
import { useState } from "react";
import { Link, useParams, useSearchParams } from "react-router";
import { Trouble } from "../../ui/Trouble";
import { Waiting } from "../../ui/Waiting";
import { collectionInfo, pagesOf, PAGE_SIZE, schemaOf } from "./queries";
import { RecordTable } from "./RecordTable";
import { SearchBox } from "./SearchBox";

export function ListPage() {
  const { collection = "" } = useParams();
  // A new collection is a new list: its page and search begin anew.
  return <List key={collection} collection={collection} />;
}

function List({ collection }: { collection: string }) {
  const [view, setView] = useSearchParams();
  const [page, setPage] = useState(0);
  const q = view.get("q") ?? "";
  const sort = view.get("sort") ?? "";
  const schema = useQuery(schemaOf(collection));
  const info = useQuery(collectionInfo(collection));
  const pages = useInfiniteQuery({ ...pagesOf(collection, q, sort), placeholderData: keepPreviousData });

  const change = (name: "q" | "sort", value: string) => {
    setPage(0);
    setView(
      (old) => {
        if (value) old.set(name, value);
        else old.delete(name);
        return old;
      },
      { replace: true },
    );
  };
  const onward = async () => {
    if (page + 1 >= (pages.data?.pages.length ?? 0)) await pages.fetchNextPage();
    setPage(page + 1);
  };

  if (schema.isPending || pages.isPending || info.isPending) return <Waiting what="records" />;
  const trouble = schema.error ?? pages.error ?? info.error;
  if (trouble) return <Trouble error={trouble} retry={pages.refetch} />;
  if (!schema.data || !pages.data || !info.data) return null;

  const shownPage = pages.data.pages[Math.min(page, pages.data.pages.length - 1)];
  const items = shownPage?.items ?? [];
  const count = pages.data.pages[0]?.count ?? 0;
  const first = page * PAGE_SIZE + 1;
  return (
    <>
      <Box sx={{ display: "flex", flexWrap: "wrap", gap: 2, alignItems: "center", mb: 2 }}>
        <Typography variant="h1" sx={{ flex: 1 }}>
          {schema.data.title}
        </Typography>
        {info.data.searched.length > 0 && <SearchBox value={q} onChange={(text) => change("q", text)} />}
        {info.data.may.create && (
          <Button component={Link} to={`/c/${collection}/new`} variant="contained">
            New record
          </Button>
        )}
      </Box>
      <Box sx={{ height: 4 }}>{pages.isFetching && <LinearProgress aria-label="Loading records" />}</Box>
      {items.length === 0 ? (
        <Typography color="textSecondary" sx={{ py: 6, textAlign: "center" }}>
          {q ? `Nothing matches “${q}”. Try fewer or other words.` : "There are no records here yet."}
        </Typography>
      ) : (
        <RecordTable collection={collection} schema={schema.data} items={items} sort={sort} onSort={(value) => change("sort", value)} />
      )}
      {count > 0 && (
        <Box sx={{ display: "flex", gap: 1, alignItems: "center", justifyContent: "flex-end", mt: 1.5 }}>
          <Typography color="textSecondary" sx={{ mr: 1 }} role="status">
            {first}–{first + items.length - 1} of {count}
          </Typography>
          <Button disabled={page === 0} onClick={() => setPage(page - 1)}>
            Previous
          </Button>
          <Button disabled={shownPage?.next == null || pages.isFetchingNextPage} onClick={() => void onward()}>
            Next
          </Button>
        </Box>
      )}
    </>
  );
}
