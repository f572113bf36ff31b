import Button from "@mui/material/Button";
import { useState } from "react";
import { Link } from "react-router";
import type { CollectionInfo } from "../../api/types";
import { LettersDialog } from "./LettersDialog";

interface Props {
  info: CollectionInfo;
  /** Which records the list has: words that are found in them, and a condition. */
  view: { q: string; where: string };
  count: number | undefined;
}

/** For who may hand out passes: all of them, and one for each record of the list. */
export function PassesButtons({ info, view, count }: Props) {
  const [open, setOpen] = useState(false);
  if (!info.may.pass || info.passes.length === 0) return null;
  return (
    <>
      <Button component={Link} to={`/c/${info.name}/passes`}>
        Passes
      </Button>
      {info.passes.some((one) => !one.lists) && view.q === "" && <Button onClick={() => setOpen(true)}>Letters…</Button>}
      {open && <LettersDialog info={info} where={view.where} count={count} onClose={() => setOpen(false)} />}
    </>
  );
}
