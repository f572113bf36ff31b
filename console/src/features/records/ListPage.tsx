import Box from "@mui/material/Box";
import Button from "@mui/material/Button";
import LinearProgress from "@mui/material/LinearProgress";
import { useTheme } from "@mui/material/styles";
import Typography from "@mui/material/Typography";
import useMediaQuery from "@mui/material/useMediaQuery";
import { useQuery } from "@tanstack/react-query";
import { useState, type ComponentType } from "react";
import { Link, useParams } from "react-router";
import { countOf, PAGE_SIZE } from "../../api/records";
import { collectionInfo, schemaOf } from "../../api/collections";
import type { CollectionInfo, CollectionSchema } from "../../api/types";
import { Trouble } from "../../ui/Trouble";
import { Waiting } from "../../ui/Waiting";
import { inSentence } from "../../lib/text";
import { Chips } from "./Chips";
import { ExportMenu } from "./ExportMenu";
import { FilterBar } from "./FilterBar";
import { NewRow } from "./NewRow";
import { Rows } from "./Rows";
import { Scrolled } from "./Scrolled";
import { SearchBox } from "./SearchBox";
import { useListView, type ListView } from "./useListView";
import { useSteady } from "./useSteady";
import { useWindow, type Window } from "./useWindow";
import { joined } from "./window";
import { columnsOf } from "./views/columns";
import { ViewsMenu } from "./views/ViewsMenu";

const NONE: ReadonlySet<string> = new Set();

interface HeadingProps {
  info: CollectionInfo;
  view: ListView;
  count: number | undefined;
}

interface Props {
  /** What else can be done with the list. */
  more?: ComponentType<HeadingProps>;
}

export function ListPage({ more }: Props) {
  const { collection = "" } = useParams();
  return <List key={collection} collection={collection} more={more} />;
}

function List({ collection, more }: { collection: string; more: Props["more"] }) {
  const view = useListView();
  const narrow = useMediaQuery(useTheme().breakpoints.down("sm"));
  const schema = useQuery(schemaOf(collection));
  const info = useQuery(collectionInfo(collection));
  const pages = useWindow(collection, view);
  const count = useQuery(countOf(collection, view)).data;
  const [adding, setAdding] = useState(false);
  const [filtering, setFiltering] = useState(false);
  const steady = useSteady(pages.parts, [collection, view.q, view.where, view.sort].join("\n"));
  // What is there while another page comes is of a view that is gone.
  const found = joined(pages.parts) ?? pages.old;
  // What is wrong with the filter is said where it is written, and can be put right there.
  const wrong = view.where !== "" && pages.error?.isRefused ? pages.error : null;

  if (schema.isPending || info.isPending || (found === undefined && pages.error === null)) return <Waiting what="records" />;
  const trouble = schema.error ?? (wrong || found ? null : pages.error) ?? info.error;
  if (trouble) return <Trouble title="This list cannot be shown" error={trouble} retry={pages.refetch} />;
  if (!schema.data || !info.data) return null;
  const arranged = columnsOf(schema.data, view.columns);
  const shownSchema = { ...schema.data, "x-columns": arranged.map((one) => one.name) };
  const bar = (
    <Box sx={{ display: "flex", gap: 1, alignItems: "flex-start" }}>
      <Box sx={{ flex: 1, minWidth: 0 }}>
        <FilterBar
          key={view.where}
          schema={schema.data}
          value={view.where}
          error={wrong}
          open={filtering}
          onOpen={setFiltering}
          onChange={view.filter}
        />
      </Box>
      {info.data.may.create && !narrow && <Button onClick={() => setAdding(true)}>Add a row</Button>}
    </Box>
  );
  if (!found || wrong)
    return (
      <>
        <Heading info={info.data} schema={schema.data} view={view} count={undefined} more={more} />
        {bar}
      </>
    );

  const shown = (pages.parts.length > 0 ? steady?.page : undefined) ?? found;
  const numberOf = (id: string) => pages.parts.find(({ page }) => page.items.some((row) => row.id === id))?.number;
  return (
    <>
      <title>{info.data.title}</title>
      <Heading info={info.data} schema={schema.data} view={view} count={count} more={more} />
      {bar}
      <Chips schema={schema.data} view={view} />
      {adding && <NewRow info={info.data} columns={shownSchema["x-columns"]} onClose={() => setAdding(false)} />}
      {steady && (steady.fresh > 0 || steady.moved) && (
        // Beside the filter, so that nothing moves when it comes.
        <Box role="status" sx={{ position: "relative", height: 0 }}>
          <Button size="small" variant="outlined" onClick={steady.show} sx={{ position: "absolute", right: 0, bottom: 8 }}>
            {steady.fresh > 0 ? `${steady.fresh} new` : "Others changed the order. Sort again"}
          </Button>
        </Box>
      )}
      <Box sx={{ height: 4 }}>{pages.coming && <LinearProgress aria-label="Loading records" />}</Box>
      <Scrolled
        pages={`${pages.parts.map((one) => one.number).join(" ")} ${view.q} ${view.where} ${view.sort}`}
        onEnd={pages.more}
        onMiddle={(id) => pages.at(numberOf(id) ?? view.page)}
      >
        <Rows
          info={info.data}
          schema={shownSchema}
          widths={arranged.map((one) => one.width)}
          view={view}
          shown={shown}
          found={found}
          changed={steady?.changed ?? NONE}
          first={(pages.span.first - 1) * PAGE_SIZE + 1}
          count={count}
        >
          <Typography color="textSecondary" sx={{ py: 6, textAlign: "center" }}>
            {view.where
              ? "No record meets this filter. Change or clear it."
              : view.q
                ? `Nothing matches “${view.q}”. Try fewer or other words.`
                : view.after
                  ? "Nothing follows here any more."
                  : "There are no records here yet."}
          </Typography>
        </Rows>
      </Scrolled>
      {pages.trouble && <Trouble error={pages.trouble} retry={pages.refetch} />}
      <Paging pages={pages} shown={shown.items.length} count={count} />
    </>
  );
}

function Heading({ info, schema, view, count, more: More }: HeadingProps & { schema: CollectionSchema; more: Props["more"] }) {
  return (
    <Box sx={{ display: "flex", flexWrap: "wrap", columnGap: 1, rowGap: 2, alignItems: "center", mb: 2 }}>
      <Box sx={{ flex: 1, display: "flex", gap: 1.5, alignItems: "baseline", whiteSpace: "nowrap" }}>
        <Typography variant="h1">{info.title}</Typography>
        {count !== undefined && (
          <Typography color="textSecondary">
            {count} {view.q || view.where ? "found" : count === 1 ? "record" : "records"}
          </Typography>
        )}
      </Box>
      <ViewsMenu collection={info.name} schema={schema} view={view} />
      <Button component={Link} to={`/c/${info.name}/access`}>
        Permissions
      </Button>
      <ExportMenu collection={info.name} view={view} />
      {More && <More info={info} view={view} count={count} />}
      {info.may.create && (
        <Button component={Link} to={`/c/${info.name}/import`}>
          Import
        </Button>
      )}
      {info.searched.length > 0 && <SearchBox value={view.q} onChange={view.search} />}
      {info.may.create && (
        <Button component={Link} to={`/c/${info.name}/new`} variant="contained">
          New {inSentence(info.singular)}
        </Button>
      )}
    </Box>
  );
}

interface PagingProps {
  pages: Window;
  shown: number;
  count: number | undefined;
}

function Paging({ pages, shown, count }: PagingProps) {
  const { coming, span } = pages;
  if (shown === 0 && span.first === 1) return null;
  const first = (span.first - 1) * PAGE_SIZE + 1;
  return (
    <Box sx={{ display: "flex", gap: 1, alignItems: "center", justifyContent: "flex-end", mt: 1.5 }}>
      <Typography color="textSecondary" sx={{ mr: 1 }} role="status">
        {/* What is shown until another page is there has another range, and leads elsewhere. */}
        {shown > 0 && !coming && `${first}–${first + shown - 1}${count === undefined ? "" : ` of ${count}`}`}
      </Typography>
      <Button disabled={span.first === 1} onClick={() => pages.jump("above")}>
        Previous
      </Button>
      <Button disabled={coming || !pages.behind} onClick={() => pages.jump("below")}>
        Next
      </Button>
    </Box>
  );
}
