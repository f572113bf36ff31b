import Box from "@mui/material/Box";
import Button from "@mui/material/Button";
import Link from "@mui/material/Link";
import Paper from "@mui/material/Paper";
import Typography from "@mui/material/Typography";
import { useQuery } from "@tanstack/react-query";
import { useState } from "react";
import { Link as RouterLink } from "react-router";
import { collections, schemaOf } from "../../../api/collections";
import { countOf, pageOf } from "../../../api/records";
import type { CollectionInfo } from "../../../api/types";
import { inSentence } from "../../../lib/text";
import { Trouble } from "../../../ui/Trouble";
import { quoted } from "../filter";
import { NewRow } from "../NewRow";
import { Rows } from "../Rows";
import type { Part } from "../window";
import { useSteady } from "../useSteady";

/** Rows of a list that are shown beside a record; the others are in the list itself. */
const SHOWN = 10;
const NONE: ReadonlySet<string> = new Set();
const NOTHING: Part[] = [];

interface Props {
  collection: string;
  recordKey: string;
  /** The type of its key. */
  numeric: boolean;
}

/** What refers to a record: a list for each reference to its collection, edited where it stands. */
export function RelatedLists({ collection, recordKey, numeric }: Props) {
  const found = useQuery(collections).data ?? [];
  return found.flatMap((info) => {
    const fields = Object.entries(info.references).filter(([, target]) => target === collection);
    if (!info.may.read) return [];
    return fields.map(([field]) => (
      <RelatedList
        key={`${info.name}.${field}`}
        info={info}
        field={field}
        recordKey={recordKey}
        numeric={numeric}
        told={fields.length > 1}
      />
    ));
  });
}

interface ListProps {
  info: CollectionInfo;
  /** The reference, and whether it has to be told from others of the same collection. */
  field: string;
  told: boolean;
  recordKey: string;
  numeric: boolean;
}

function RelatedList({ info, field, told, recordKey, numeric }: ListProps) {
  const [sort, setSort] = useState("");
  const [adding, setAdding] = useState(false);
  const where = `${field} == ${numeric ? recordKey : quoted(recordKey)}`;
  const wanted = { q: "", where };
  const schema = useQuery(schemaOf(info.name)).data;
  const found = useQuery(pageOf(info.name, wanted, sort, "", SHOWN));
  const count = useQuery(countOf(info.name, wanted)).data;
  const steady = useSteady(
    found.data && !found.isPlaceholderData ? [{ number: 1, page: found.data }] : NOTHING,
    [where, sort].join("\n"),
  );
  if (found.error) return <Trouble error={found.error} retry={found.refetch} />;
  if (!schema || !found.data || !schema.properties[field]) return null;
  const columns = schema["x-columns"].filter((name) => name !== field);
  const title = told ? `${info.title} · ${schema.properties[field].title ?? field}` : info.title;
  const list = `/c/${info.name}?${new URLSearchParams({ where })}`;
  const shown = steady?.page ?? found.data;
  return (
    <Box component="section" aria-label={title} sx={{ mt: 3 }}>
      <Box sx={{ display: "flex", flexWrap: "wrap", gap: 2, alignItems: "baseline", mb: 1 }}>
        <Typography variant="h2" sx={{ flex: 1 }}>
          {title}
          {count !== undefined && (
            <Typography component="span" color="textSecondary" sx={{ ml: 1.5 }}>
              {count}
            </Typography>
          )}
        </Typography>
        {steady && (steady.fresh > 0 || steady.moved) && (
          <Button size="small" variant="outlined" onClick={steady.show}>
            {steady.fresh > 0 ? `${steady.fresh} new` : "Sort again"}
          </Button>
        )}
        {count !== undefined && count > shown.items.length && (
          <Link component={RouterLink} to={list}>
            All {count}
          </Link>
        )}
        {info.may.create && !adding && <Button onClick={() => setAdding(true)}>New {inSentence(info.singular)}</Button>}
      </Box>
      {adding && <NewRow info={info} columns={columns} given={{ [field]: recordKey }} onClose={() => setAdding(false)} />}
      <Rows
        info={info}
        schema={{ ...schema, "x-columns": columns }}
        widths={columns.map(() => null)}
        view={{ ...wanted, sort, order: setSort }}
        shown={shown}
        found={found.data}
        changed={steady?.changed ?? NONE}
        count={count}
      >
        <Paper variant="outlined" sx={{ px: 2, py: 1.5, color: "text.secondary" }}>
          None refers to {recordKey}.
        </Paper>
      </Rows>
    </Box>
  );
}
