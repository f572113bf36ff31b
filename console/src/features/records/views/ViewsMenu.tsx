import Button from "@mui/material/Button";
import Divider from "@mui/material/Divider";
import ListItemText from "@mui/material/ListItemText";
import Menu from "@mui/material/Menu";
import MenuItem from "@mui/material/MenuItem";
import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { useEffect, useEffectEvent, useState } from "react";
import { useNavigate } from "react-router";
import { schemaOf } from "../../../api/collections";
import { refreshCollection, updateRecord } from "../../../api/records";
import { session } from "../../../api/session";
import type { CollectionSchema, Fields } from "../../../api/types";
import { homeOfViews, viewsOf, type KeptView } from "../../../api/views";
import { useTell } from "../../../ui/messages";
import { addressOf } from "../model";
import type { ListView } from "../useListView";
import { columnsOf, writtenOf } from "./columns";
import { ColumnsDialog } from "./ColumnsDialog";
import { SaveViewDialog } from "./SaveViewDialog";

interface Props {
  collection: string;
  schema: CollectionSchema;
  view: ListView;
}

/** Whether a list is shown as a view has it. */
const shownBy = (view: ListView, kept: KeptView): boolean =>
  view.q === kept.q && view.where === kept.where && view.sort === kept.sort && view.columns.join(",") === kept.columns.join(",");

/** How the list is shown: views that are kept, the columns, and keeping it as it is now. */
export function ViewsMenu({ collection, schema, view }: Props) {
  const client = useQueryClient();
  const navigate = useNavigate();
  const tell = useTell();
  const account = useQuery(session).data?.account ?? "";
  const home = useQuery(homeOfViews).data;
  const found = useQuery(viewsOf(home, collection, account));
  const [anchor, setAnchor] = useState<HTMLElement | null>(null);
  const [doing, setDoing] = useState<"columns" | "keep" | null>(null);
  // One's own come before what is shared.
  const views = [...(found.data ?? [])].sort((one, other) => Number(other.own) - Number(one.own));
  const opened = views.find((one) => one.id === view.kept);
  const changed = opened !== undefined && !shownBy(view, opened);
  // Of what a view can hold, as far as this project keeps it.
  const holds = useQuery({ ...schemaOf(home?.name ?? ""), enabled: home != null }).data?.properties ?? {};
  const all: Fields = { where: view.where || null, q: view.q || null, sort: view.sort || null, columns: view.columns };
  const shown: Fields = Object.fromEntries(Object.entries(all).filter(([name]) => name in holds));

  const first = view.bare ? views.find((one) => one.first) : undefined;
  const begin = useEffectEvent((one: KeptView) => view.open(one, true));
  useEffect(() => {
    if (first !== undefined) begin(first);
  }, [first]);

  const save = useMutation({
    mutationFn: (one: KeptView) => updateRecord(home?.name ?? "", one.key, shown, `"${one.id}.${one.version}"`),
    onSuccess: async (_, one) => {
      await refreshCollection(client, home?.name ?? "");
      tell(`“${one.title}” is kept as the list is now.`);
    },
    onError: (error) => tell(`It was not kept. ${error.message}`, { severity: "error" }),
  });
  const choose = (work: () => void) => () => {
    setAnchor(null);
    work();
  };
  return (
    <>
      <Button aria-haspopup="menu" aria-expanded={anchor !== null} onClick={(event) => setAnchor(event.currentTarget)}>
        {opened ? `View: ${opened.title}${changed ? " (changed)" : ""}` : "View"}
      </Button>
      <Menu disablePortal anchorEl={anchor} open={anchor !== null} onClose={() => setAnchor(null)}>
        <MenuItem selected={opened === undefined} onClick={choose(() => view.open(null))}>
          All records
        </MenuItem>
        {views.map((one) => (
          <MenuItem key={one.id} selected={one.id === opened?.id} onClick={choose(() => view.open(one))}>
            <ListItemText primary={one.title} secondary={one.own ? null : "shared"} />
          </MenuItem>
        ))}
        <Divider />
        <MenuItem onClick={choose(() => setDoing("columns"))}>Columns…</MenuItem>
        {home?.may.create && <MenuItem onClick={choose(() => setDoing("keep"))}>Keep this view…</MenuItem>}
        {opened?.own && changed && (
          <MenuItem onClick={choose(() => save.mutate(opened))}>Keep the changes in “{opened.title}”</MenuItem>
        )}
        {opened && home && (
          <MenuItem onClick={choose(() => void navigate(addressOf(home.name, opened.key)))}>
            {opened.own ? `Share, rename or delete “${opened.title}”` : `About “${opened.title}”`}
          </MenuItem>
        )}
      </Menu>
      {doing === "columns" && (
        <ColumnsDialog
          schema={schema}
          columns={columnsOf(schema, view.columns)}
          onClose={() => setDoing(null)}
          onChange={(columns) => {
            setDoing(null);
            view.arrange(writtenOf(columns));
          }}
        />
      )}
      {doing === "keep" && home && (
        <SaveViewDialog
          home={home}
          fields={{ collection, ...shown }}
          opensFirst={"first" in holds}
          onClose={() => setDoing(null)}
          onSaved={(id, title) => {
            setDoing(null);
            void refreshCollection(client, home.name);
            view.keep(id);
            tell(`Kept as “${title}”.`);
          }}
        />
      )}
    </>
  );
}
