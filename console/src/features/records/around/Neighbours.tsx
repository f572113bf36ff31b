import Box from "@mui/material/Box";
import Button from "@mui/material/Button";
import { Link } from "react-router";
import { addressOf } from "../model";
import { useNeighbours, type CameFrom } from "./useNeighbours";

interface Props {
  collection: string;
  keyName: string;
  recordKey: string;
  from: CameFrom | null;
}

/** The ways to the records before and after this one, in the list that somebody came from. */
export function Neighbours({ collection, keyName, recordKey, from }: Props) {
  const { before, after } = useNeighbours(collection, keyName, recordKey, from);
  if (before === null && after === null) return null;
  return (
    <Box component="nav" aria-label="In the list" sx={{ display: "flex", gap: 1 }}>
      {[
        { words: "Previous", one: before },
        { words: "Next", one: after },
      ].map(({ words, one }) =>
        one === null ? (
          <Button key={words} size="small" disabled>
            {words}
          </Button>
        ) : (
          <Button key={words} size="small" component={Link} to={addressOf(collection, one.key)} state={one.from} title={one.key}>
            {words}
          </Button>
        ),
      )}
    </Box>
  );
}
