import Button from "@mui/material/Button";
import Menu from "@mui/material/Menu";
import MenuItem from "@mui/material/MenuItem";
import { useMutation } from "@tanstack/react-query";
import { useState } from "react";
import { exportList, KINDS, type Kind } from "../../api/files";
import { saveAs } from "../../lib/save";
import { useTell } from "../../ui/messages";
import type { ListView } from "./useListView";

interface Props {
  collection: string;
  view: Pick<ListView, "q" | "where" | "sort">;
  label?: string;
}

/** Saves the list as it is filtered, searched and sorted now, all of its pages. */
export function ExportMenu({ collection, view, label = "Export" }: Props) {
  const tell = useTell();
  const [anchor, setAnchor] = useState<HTMLElement | null>(null);
  const exporting = useMutation({
    mutationFn: (kind: Kind) => exportList(collection, view, view.sort, kind),
    onSuccess: (file, kind) => saveAs(file, `${collection}.${kind}`),
    onError: (error) => tell(`The list was not exported. ${error.message}`),
  });
  return (
    <>
      <Button
        aria-haspopup="menu"
        aria-expanded={anchor !== null}
        loading={exporting.isPending}
        onClick={(event) => setAnchor(event.currentTarget)}
      >
        {label}
      </Button>
      <Menu disablePortal anchorEl={anchor} open={anchor !== null} onClose={() => setAnchor(null)}>
        {Object.entries(KINDS).map(([kind, { title }]) => (
          <MenuItem
            key={kind}
            onClick={() => {
              setAnchor(null);
              exporting.mutate(kind as Kind);
            }}
          >
            {title}
          </MenuItem>
        ))}
      </Menu>
    </>
  );
}
