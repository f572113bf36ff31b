import Box from "@mui/material/Box";
import type { Json } from "../lib/json";
import { shown } from "../lib/text";
import { difference } from "../lib/words";

/** What became of one value: `inside` of an object, members of a list, or all of it. */
export interface ChangeOf {
  before?: Json;
  after?: Json;
  hidden?: boolean;
  erased?: boolean;
  inside?: { pointer: string; before: Json; after: Json }[];
  put_in?: Json[];
  taken_out?: Json[];
}

interface Props {
  change: ChangeOf;
  /** What a value stands for, where it is a reference. */
  labelOf?: (value: Json) => string;
}

/** From this length on, a text is shown with its words marked and not twice. */
const LONG = 40;

const OUT = { color: "error.main", textDecoration: "line-through" };
const IN = { color: "success.main", textDecoration: "none", fontWeight: 700 };

/** One change as people read it: words put in and taken out are marked, and read out as such. */
export function Change({ change, labelOf = shown }: Props) {
  const { before, after } = change;
  if (change.hidden) return <>changed</>;
  if (change.erased && before === undefined) return <>erased for good</>;
  if (change.inside)
    return (
      <>
        {change.inside.map((one, place) => (
          <span key={one.pointer}>
            {place > 0 && "; "}
            {one.pointer.slice(1).replaceAll("/", " ").replaceAll("_", " ")} <Pair before={one.before} after={one.after} />
          </span>
        ))}
      </>
    );
  if (change.put_in && change.taken_out) return <Members taken={change.taken_out} put={change.put_in} labelOf={labelOf} />;
  if (change.erased) return <>(a value was erased since)</>;
  if (typeof before === "string" && typeof after === "string" && (isLong(before) || isLong(after)))
    return <Marked before={before} after={after} />;
  return <Pair before={before ?? null} after={after ?? null} labelOf={labelOf} />;
}

const isLong = (text: string) => text.length > LONG;

function Pair({ before, after, labelOf = shown }: { before: Json; after: Json; labelOf?: (value: Json) => string }) {
  return (
    <>
      <Box component="span" sx={{ color: "text.secondary" }}>
        {labelOf(before)}
      </Box>
      {" → "}
      <b>{labelOf(after)}</b>
    </>
  );
}

function Members({ taken, put, labelOf }: { taken: Json[]; put: Json[]; labelOf: (value: Json) => string }) {
  return (
    <>
      {taken.length > 0 && (
        <Box component="del" sx={OUT}>
          {taken.map(labelOf).join(", ")}
        </Box>
      )}
      {taken.length > 0 && put.length > 0 && " "}
      {put.length > 0 && (
        <Box component="ins" sx={IN}>
          {put.map(labelOf).join(", ")}
        </Box>
      )}
      {taken.length + put.length === 0 && "in another order"}
    </>
  );
}

function Marked({ before, after }: { before: string; after: string }) {
  return (
    <span style={{ whiteSpace: "pre-wrap" }}>
      {difference(before, after).map((piece, place) =>
        piece.kind === "same" ? (
          <span key={place}>{piece.text}</span>
        ) : (
          <Box key={place} component={piece.kind === "in" ? "ins" : "del"} sx={piece.kind === "in" ? IN : OUT}>
            {piece.text}
          </Box>
        ),
      )}
    </span>
  );
}
