import Box from "@mui/material/Box";
import Chip from "@mui/material/Chip";
import type { CollectionSchema } from "../../api/types";
import { conditionsOf, conditionWords } from "./filter";
import type { ListView } from "./useListView";

interface Props {
  schema: CollectionSchema;
  view: ListView;
}

/** By what a list is filtered, searched and sorted, each to be taken away. */
export function Chips({ schema, view }: Props) {
  const conditions = conditionsOf(view.where);
  const without = (place: number) => view.filter(conditions.filter((_, index) => index !== place).join(" && "));
  const sorted = view.sort.split(",").filter((one) => one.trim() !== "");
  if (conditions.length + sorted.length === 0 && view.q === "") return null;
  return (
    <Box component="ul" aria-label="What the list shows" sx={{ display: "flex", flexWrap: "wrap", gap: 1, m: 0, mb: 1, p: 0 }}>
      {conditions.map((one, place) => (
        <One
          key={`${one} ${place}`}
          label={conditionWords(schema.properties, one)}
          told="the condition"
          onDelete={() => without(place)}
        />
      ))}
      {view.q !== "" && <One label={`holds “${view.q}”`} told="the search" onDelete={() => view.search("")} />}
      {sorted.map((one) => {
        const name = one.trim().replace(/^-/, "");
        const title = schema.properties[name]?.title ?? name;
        const label = `by ${title}${one.trim().startsWith("-") ? ", descending" : ""}`;
        const rest = sorted.filter((other) => other !== one).join(",");
        return <One key={one} label={label} told="the order" onDelete={() => view.order(rest)} />;
      })}
    </Box>
  );
}

function One({ label, told, onDelete }: { label: string; told: string; onDelete: () => void }) {
  return (
    <Box component="li" sx={{ listStyle: "none", maxWidth: "100%" }}>
      <Chip
        label={label}
        size="small"
        variant="outlined"
        aria-label={`Remove ${told} ${label}`}
        onClick={onDelete}
        onDelete={onDelete}
      />
    </Box>
  );
}
