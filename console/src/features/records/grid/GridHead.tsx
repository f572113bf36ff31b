import Checkbox from "@mui/material/Checkbox";
import TableCell from "@mui/material/TableCell";
import TableHead from "@mui/material/TableHead";
import TableRow from "@mui/material/TableRow";
import TableSortLabel from "@mui/material/TableSortLabel";
import type { CollectionSchema } from "../../../api/types";
import { isFigure } from "../model";
import type { Chosen } from "./useChosen";

interface Props {
  schema: CollectionSchema;
  widths: (number | null)[];
  /** The ids of the rows on the page. */
  ids: string[];
  chosen: Chosen;
  sort: string;
  onSort: (sort: string) => void;
}

/** As wide as somebody said, whatever a cell holds. */
export const widthLook = (width: number | null) =>
  width === null ? {} : { minWidth: width, width, maxWidth: width, overflow: "hidden", textOverflow: "ellipsis" };

/** The titles of a grid's columns, by which it is sorted, and the box that chooses all rows of the page. */
export function GridHead({ schema, widths, ids, chosen, sort, onSort }: Props) {
  const every = ids.every(chosen.has);
  const descending = sort.startsWith("-");
  const sorted = sort.replace(/^-/, "");
  return (
    <TableHead>
      <TableRow aria-rowindex={1}>
        <TableCell padding="checkbox">
          <Checkbox
            size="small"
            checked={every}
            disabled={chosen.all}
            indeterminate={!every && ids.some(chosen.has)}
            onChange={(event) => chosen.put(ids, event.target.checked)}
            slotProps={{ input: { "aria-label": "Choose all on this page" } }}
          />
        </TableCell>
        {schema["x-columns"].map((name, index) => (
          <TableCell
            key={name}
            sx={widthLook(widths[index] ?? null)}
            align={isFigure(schema.properties[name]) ? "right" : "left"}
            sortDirection={sorted === name ? (descending ? "desc" : "asc") : false}
          >
            <TableSortLabel
              active={sorted === name}
              direction={sorted === name && descending ? "desc" : "asc"}
              onClick={() => onSort(sorted === name && !descending ? `-${name}` : name)}
            >
              {schema.properties[name]?.title ?? name}
            </TableSortLabel>
          </TableCell>
        ))}
      </TableRow>
    </TableHead>
  );
}
