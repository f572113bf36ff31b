import Button from "@mui/material/Button";
import Paper from "@mui/material/Paper";
import Typography from "@mui/material/Typography";
import { useState } from "react";
import type { CollectionInfo, CollectionSchema } from "../../api/types";
import { ChangeManyDialog } from "./ChangeManyDialog";
import { DeleteManyDialog } from "./DeleteManyDialog";
import { ExportMenu } from "./ExportMenu";
import { MOST_CHOSEN, whereOf, type Chosen } from "./grid/useChosen";
import type { ListView } from "./useListView";

interface Props {
  info: CollectionInfo;
  schema: CollectionSchema;
  view: Pick<ListView, "q" | "where" | "sort">;
  chosen: Chosen;
  /** How many the list finds. */
  count: number | undefined;
}

/** What can be done with the rows that are chosen. */
export function ChosenBar({ info, schema, view, chosen, count }: Props) {
  const [doing, setDoing] = useState<"change" | "delete" | null>(null);
  const many = chosen.all ? (count ?? 0) : chosen.ids.size;
  if (many === 0) return null;
  const where = whereOf(chosen, view.where);
  // Words that are searched for stand in no condition.
  const more = !chosen.all && view.q === "" && count !== undefined && count > many;
  const close = () => setDoing(null);
  return (
    <Paper
      role="region"
      aria-label="Chosen"
      elevation={4}
      sx={{ display: "flex", flexWrap: "wrap", alignItems: "center", gap: 1, px: 2, py: 0.75, my: 1 }}
    >
      <Typography role="status" sx={{ flex: 1, whiteSpace: "nowrap" }}>
        {many} chosen{chosen.ids.size === MOST_CHOSEN && ", which is the most at a time"}
      </Typography>
      {more && <Button onClick={chosen.everything}>Choose all {count} found</Button>}
      {info.may.update && <Button onClick={() => setDoing("change")}>Change…</Button>}
      {info.may.delete && (
        <Button color="error" onClick={() => setDoing("delete")}>
          Delete…
        </Button>
      )}
      <ExportMenu collection={info.name} view={{ ...view, where, q: "" }} label="Export chosen" />
      <Button onClick={chosen.nothing}>Choose none</Button>
      {doing === "change" && <ChangeManyDialog collection={info.name} schema={schema} where={where} onClose={close} />}
      {doing === "delete" && (
        <DeleteManyDialog
          collection={info.name}
          where={where}
          onClose={close}
          onDeleted={() => {
            close();
            chosen.nothing();
          }}
        />
      )}
    </Paper>
  );
}
