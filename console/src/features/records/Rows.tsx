import Box from "@mui/material/Box";
import { useTheme } from "@mui/material/styles";
import useMediaQuery from "@mui/material/useMediaQuery";
import type { CollectionInfo, CollectionSchema, Page } from "../../api/types";
import { LeaveGuard } from "../../ui/LeaveGuard";
import { ChosenBar } from "./ChosenBar";
import { CellEditor } from "./grid/CellEditor";
import { UnsavedCells } from "./grid/UnsavedCells";
import { useCells } from "./grid/useCells";
import { useChosen } from "./grid/useChosen";
import { RecordCards } from "./RecordCards";
import { RecordTable } from "./RecordTable";
import type { ListView } from "./useListView";
import type { ReactNode } from "react";

interface Props {
  info: CollectionInfo;
  /** With the columns that are shown. */
  schema: CollectionSchema;
  widths: (number | null)[];
  /** By what the list is asked. */
  view: Pick<ListView, "q" | "where" | "sort" | "order">;
  /** The page as it is shown, and as it was found last. */
  shown: Page;
  found: Page;
  /** The ids of rows that others changed just now. */
  changed: ReadonlySet<string>;
  /** Which of the list the first row is, from 1. */
  first?: number;
  count: number | undefined;
  /** In place of rows, where there are none. */
  children: ReactNode;
}

/** The rows of a list, edited where they stand, and what can be done with those that are chosen. */
export function Rows({ info, schema, widths, view, shown, found, changed, first = 1, count, children }: Props) {
  const collection = info.name;
  const narrow = useMediaQuery(useTheme().breakpoints.down("sm"));
  const cells = useCells(collection);
  const chosen = useChosen([view.q, view.where].join("\n"));
  const writable = new Map(found.items.map((row, place) => [row.id, found.writable?.[place] ?? []]));
  const Shown = narrow ? RecordCards : RecordTable;
  return (
    <>
      <LeaveGuard unsaved={cells.unsaved.size > 0} within />
      {shown.items.length === 0 ? (
        <>
          {/* What was refused is corrected wherever its row is now. */}
          <CellEditor collection={collection} cells={cells} onDone={() => undefined} />
          {children}
        </>
      ) : (
        <Shown
          collection={collection}
          schema={schema}
          widths={widths}
          page={shown}
          writable={writable}
          cells={cells}
          chosen={chosen}
          changed={changed}
          sort={view.sort}
          onSort={view.order}
          first={first}
          count={count}
        />
      )}
      <Box sx={{ position: "sticky", bottom: 8, zIndex: 2 }}>
        <UnsavedCells schema={schema} cells={cells} />
        <ChosenBar info={info} schema={schema} view={view} chosen={chosen} count={count} />
      </Box>
    </>
  );
}
