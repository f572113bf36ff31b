import Box from "@mui/material/Box";
import Button from "@mui/material/Button";
import Chip from "@mui/material/Chip";
import Link from "@mui/material/Link";
import MenuItem from "@mui/material/MenuItem";
import Table from "@mui/material/Table";
import TableBody from "@mui/material/TableBody";
import TableCell from "@mui/material/TableCell";
import TableContainer from "@mui/material/TableContainer";
import TableHead from "@mui/material/TableHead";
import TableRow from "@mui/material/TableRow";
import TextField from "@mui/material/TextField";
import Typography from "@mui/material/Typography";
import { useInfiniteQuery, useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { useState } from "react";
import { Link as RouterLink } from "react-router";
import { deliveriesOf, deliveryOf, sendAgain, type Delivery, type State, type Subscription } from "../../api/subscriptions";
import { moment } from "../../lib/text";
import { useTell } from "../../ui/messages";
import { Trouble } from "../../ui/Trouble";
import { Waiting } from "../../ui/Waiting";
import { answered, called, STATES } from "./words";

const COLOURS = { waiting: "warning", sent: "success", parked: "error", void: "default" } as const;

/** What was sent to a subscription and is to be sent, the newest first; with each attempt, where one is opened. */
export function Deliveries({ subscription }: { subscription: Subscription }) {
  const [state, setState] = useState<State | null>(null);
  const found = useInfiniteQuery(deliveriesOf(subscription.name, state));
  const [open, setOpen] = useState<number | null>(null);
  const items = found.data?.pages.flatMap((page) => page.items) ?? [];
  return (
    <section aria-label="Deliveries">
      <Box sx={{ display: "flex", gap: 2, alignItems: "center", mb: 1, flexWrap: "wrap" }}>
        <Typography variant="h2">Deliveries</Typography>
        <Typography color="textSecondary" sx={{ flex: 1 }}>
          {subscription.waiting} waiting, {subscription.parked} parked
        </Typography>
        <TextField
          select
          label="Show"
          value={state ?? "all"}
          onChange={(event) => setState(event.target.value === "all" ? null : (event.target.value as State))}
          fullWidth={false}
          sx={{ minWidth: 130 }}
        >
          <MenuItem value="all">all</MenuItem>
          {Object.entries(STATES).map(([value, words]) => (
            <MenuItem key={value} value={value}>
              {words}
            </MenuItem>
          ))}
        </TextField>
      </Box>
      {found.isPending && <Waiting what="deliveries" />}
      {found.isError && <Trouble error={found.error} retry={found.refetch} />}
      {found.isSuccess && items.length === 0 && (
        <Typography sx={{ py: 4 }}>
          {state === null ? "Nothing was sent yet. What changes from now on is." : "None is in this state."}
        </Typography>
      )}
      {items.length > 0 && (
        <TableContainer>
          <Table size="small">
            <TableHead>
              <TableRow>
                <TableCell>No.</TableCell>
                <TableCell>Time</TableCell>
                <TableCell>Event</TableCell>
                <TableCell>Of</TableCell>
                <TableCell>State</TableCell>
                <TableCell>Answer</TableCell>
                <TableCell />
              </TableRow>
            </TableHead>
            <TableBody>
              {items.map((one) => (
                <Row
                  key={one.number}
                  subscription={subscription.name}
                  delivery={one}
                  open={open === one.number}
                  onOpen={() => setOpen(open === one.number ? null : one.number)}
                />
              ))}
            </TableBody>
          </Table>
        </TableContainer>
      )}
      {found.hasNextPage && (
        <Button sx={{ mt: 2 }} disabled={found.isFetchingNextPage} onClick={() => void found.fetchNextPage()}>
          Show older ones
        </Button>
      )}
    </section>
  );
}

interface RowProps {
  subscription: string;
  delivery: Delivery;
  open: boolean;
  onOpen: () => void;
}

function Row({ subscription, delivery: one, open, onOpen }: RowProps) {
  const client = useQueryClient();
  const tell = useTell();
  const again = useMutation({
    mutationFn: () => sendAgain(client, subscription, one.number),
    onSuccess: () => tell("It is sent again."),
    onError: (error) => tell(error.message),
  });
  const about = one.collection === null ? "" : `${one.collection} ${one.key ?? ""}`;
  return (
    <>
      <TableRow hover>
        <TableCell>{one.number}</TableCell>
        <TableCell sx={{ whiteSpace: "nowrap" }}>{moment(one.time)}</TableCell>
        <TableCell>{called(one.type)}</TableCell>
        <TableCell>
          {one.collection !== null && (
            <Link component={RouterLink} to={`/c/${one.collection}/r/${encodeURIComponent(one.key ?? "")}`}>
              {about}
            </Link>
          )}
        </TableCell>
        <TableCell sx={{ whiteSpace: "nowrap" }}>
          <Chip size="small" variant="outlined" color={COLOURS[one.state]} label={STATES[one.state]} />
          {one.state === "waiting" && one.attempts > 0 && one.due !== null && ` next ${moment(one.due)}`}
        </TableCell>
        <TableCell sx={{ overflowWrap: "anywhere", whiteSpace: "normal", maxWidth: 320 }}>{answered(one.last)}</TableCell>
        <TableCell align="right" sx={{ whiteSpace: "nowrap" }}>
          <Button size="small" aria-expanded={open} aria-label={`Attempts at ${String(one.number)}`} onClick={onOpen}>
            {one.attempts} tried
          </Button>
          <Button
            size="small"
            aria-label={`Send ${String(one.number)} again`}
            loading={again.isPending}
            onClick={() => again.mutate()}
          >
            Send again
          </Button>
        </TableCell>
      </TableRow>
      {open && (
        <TableRow>
          <TableCell colSpan={7} sx={{ bgcolor: "action.hover" }}>
            <Attempts subscription={subscription} number={one.number} />
          </TableCell>
        </TableRow>
      )}
    </>
  );
}

function Attempts({ subscription, number }: { subscription: string; number: number }) {
  const found = useQuery(deliveryOf(subscription, number));
  if (found.isPending) return <Waiting what="attempts" />;
  if (found.isError) return <Trouble error={found.error} retry={found.refetch} />;
  if (found.data.tried.length === 0) return <Typography variant="body2">It was not tried yet.</Typography>;
  return (
    <Box component="ul" sx={{ m: 0, pl: 2 }}>
      {found.data.tried.map((each) => (
        <Typography key={each.time} component="li" variant="body2" sx={{ overflowWrap: "anywhere" }}>
          {moment(each.time)} · {each.milliseconds} ms · {answered(each)}
        </Typography>
      ))}
    </Box>
  );
}
