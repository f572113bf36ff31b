import Box from "@mui/material/Box";
import Button from "@mui/material/Button";
import List from "@mui/material/List";
import ListItemButton from "@mui/material/ListItemButton";
import ListItemText from "@mui/material/ListItemText";
import MenuItem from "@mui/material/MenuItem";
import TextField from "@mui/material/TextField";
import Typography from "@mui/material/Typography";
import { useInfiniteQuery, useQuery } from "@tanstack/react-query";
import { Link, useNavigate, useParams, useSearchParams } from "react-router";
import { collections } from "../../api/collections";
import { proposalsIn, type Listed, type State } from "../../api/proposals";
import { moment } from "../../lib/text";
import { Trouble } from "../../ui/Trouble";
import { Waiting } from "../../ui/Waiting";
import { Review } from "./Review";
import { KINDS, STATES } from "./words";

/** What people without an account sent: what waits, the oldest first, and one of it to be decided about. */
export function ProposalsPage() {
  const { number } = useParams();
  const navigate = useNavigate();
  const [asked, setAsked] = useSearchParams();
  const state = asked.get("state") ?? "waiting";
  const found = useInfiniteQuery(proposalsIn(state === "any" ? null : (state as State)));
  const known = useQuery(collections).data;
  if (found.isPending) return <Waiting what="proposals" />;
  if (found.isError) return <Trouble title="Proposals cannot be shown" error={found.error} retry={found.refetch} />;
  const items = found.data.pages.flatMap((page) => page.items);
  const open = number === undefined ? items[0]?.number : Number(number);
  const titleOf = (name: string) => known?.find((one) => one.name === name)?.singular ?? name;
  // Once one is settled the next that waits is opened, which is the first that is another.
  const next = () => {
    const at = items.findIndex((one) => one.number === open);
    const following = items.slice(at + 1).find((one) => one.state === "waiting") ?? items.find((one) => one.number !== open);
    void navigate(following ? `/proposals/${following.number}?${asked}` : `/proposals?${asked}`);
  };
  return (
    <>
      <title>Proposals</title>
      <Box sx={{ display: "flex", gap: 2, flexWrap: "wrap", alignItems: "center", mb: 2 }}>
        <Typography variant="h1" sx={{ flex: 1 }}>
          Proposals
        </Typography>
        <TextField
          select
          size="small"
          label="State"
          value={state}
          onChange={(event) => {
            setAsked(event.target.value === "waiting" ? {} : { state: event.target.value });
          }}
          sx={{ width: 200 }}
        >
          {Object.entries(STATES).map(([name, words]) => (
            <MenuItem key={name} value={name}>
              {words}
            </MenuItem>
          ))}
          <MenuItem value="any">any</MenuItem>
        </TextField>
      </Box>
      {items.length === 0 && open === undefined ? (
        <Typography color="textSecondary" sx={{ py: 6, textAlign: "center" }}>
          {state === "waiting" ? "Nothing waits to be looked at." : "There is nothing here."}
        </Typography>
      ) : (
        <Box
          sx={{
            display: "grid",
            gap: 3,
            gridTemplateColumns: { xs: "minmax(0, 1fr)", md: "minmax(220px, 1fr) minmax(0, 3fr)" },
            alignItems: "start",
          }}
        >
          <Box component="nav" aria-label="Proposals">
            <List dense disablePadding>
              {items.map((one) => (
                <ListItemButton
                  key={one.number}
                  component={Link}
                  to={`/proposals/${one.number}?${asked}`}
                  selected={one.number === open}
                  aria-current={one.number === open ? "page" : undefined}
                >
                  <ListItemText primary={about(one, titleOf)} secondary={`${KINDS[one.kind]}, ${moment(one.time)}`} />
                </ListItemButton>
              ))}
            </List>
            {found.hasNextPage && (
              <Button onClick={() => void found.fetchNextPage()} loading={found.isFetchingNextPage}>
                More
              </Button>
            )}
          </Box>
          {open !== undefined && <Review key={open} number={open} onSettled={next} />}
        </Box>
      )}
    </>
  );
}

function about(one: Listed, titleOf: (name: string) => string): string {
  return `${titleOf(one.of)} ${one.key ?? ""}`;
}
