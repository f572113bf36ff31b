import Alert from "@mui/material/Alert";
import Box from "@mui/material/Box";
import Button from "@mui/material/Button";
import type { CollectionSchema } from "../../../api/types";
import { controlText } from "../model";
import { nameOf, type Cells } from "./useCells";

interface Props {
  schema: CollectionSchema;
  cells: Cells;
}

/** What was typed into cells and refused, wherever their rows are now: below them, so that none moves when it comes. */
export function UnsavedCells({ schema, cells }: Props) {
  const refused = [...cells.unsaved.values()].filter((one) => one.wrong !== null);
  if (refused.length === 0) return null;
  return (
    <Alert severity="error" role="status" sx={{ my: 1, "& .MuiAlert-message": { width: "100%" } }}>
      {refused.length === 1 ? "One value is not saved:" : `${refused.length} values are not saved:`}
      {refused.map((one) => (
        <Box key={nameOf(one)} sx={{ display: "flex", flexWrap: "wrap", alignItems: "center", columnGap: 1 }}>
          <Box sx={{ flex: 1, minWidth: 200, overflowWrap: "anywhere" }}>
            <b>
              {one.recordKey}, {schema.properties[one.name]?.title ?? one.name}
            </b>
            : “{controlText(one.control)}”. {one.wrong}
          </Box>
          <Button size="small" color="inherit" onClick={() => cells.open(one)}>
            Correct it
          </Button>
          <Button size="small" color="inherit" onClick={() => cells.takeBack(one)}>
            Take it back
          </Button>
        </Box>
      ))}
    </Alert>
  );
}
