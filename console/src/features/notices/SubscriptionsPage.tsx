import Box from "@mui/material/Box";
import Button from "@mui/material/Button";
import Link from "@mui/material/Link";
import Table from "@mui/material/Table";
import TableBody from "@mui/material/TableBody";
import TableCell from "@mui/material/TableCell";
import TableContainer from "@mui/material/TableContainer";
import TableHead from "@mui/material/TableHead";
import TableRow from "@mui/material/TableRow";
import Typography from "@mui/material/Typography";
import { useQuery } from "@tanstack/react-query";
import { useState } from "react";
import { Link as RouterLink } from "react-router";
import { collections } from "../../api/collections";
import { subscriptions } from "../../api/subscriptions";
import { Trouble } from "../../ui/Trouble";
import { Waiting } from "../../ui/Waiting";
import { SecretAlert } from "./SecretAlert";
import { SubscriptionDialog } from "./SubscriptionDialog";
import { SubscriptionState } from "./SubscriptionState";
import { followed } from "./words";

/** Which other systems are sent what. */
export function SubscriptionsPage() {
  const found = useQuery(subscriptions);
  const known = useQuery(collections).data;
  const [adding, setAdding] = useState(false);
  const [made, setMade] = useState<{ name: string; secret: string } | null>(null);
  if (found.isPending) return <Waiting what="subscriptions" />;
  if (found.isError) return <Trouble title="Subscriptions cannot be shown" error={found.error} retry={found.refetch} />;
  const titles = (name: string) => known?.find((one) => one.name === name)?.title ?? name;
  return (
    <>
      <title>Subscriptions</title>
      <Box sx={{ display: "flex", gap: 2, alignItems: "baseline", mb: 1 }}>
        <Typography variant="h1" sx={{ flex: 1 }}>
          Subscriptions
        </Typography>
        <Button variant="contained" onClick={() => setAdding(true)}>
          New subscription
        </Button>
      </Box>
      <Typography color="textSecondary" sx={{ mb: 2 }}>
        Other systems that are told what changes: signed, in order of each record, and again until it is taken.
      </Typography>
      {made && <SecretAlert {...made} onClose={() => setMade(null)} />}
      {found.data.length === 0 && <Typography sx={{ py: 4 }}>Nothing is sent to another system yet.</Typography>}
      {found.data.length > 0 && (
        <TableContainer>
          <Table size="small">
            <TableHead>
              <TableRow>
                <TableCell>Name</TableCell>
                <TableCell>Sent to</TableCell>
                <TableCell>What</TableCell>
                <TableCell>With the rights of</TableCell>
                <TableCell align="right">Waiting</TableCell>
                <TableCell align="right">Parked</TableCell>
                <TableCell>State</TableCell>
              </TableRow>
            </TableHead>
            <TableBody>
              {found.data.map((one) => (
                <TableRow key={one.name} hover>
                  <TableCell component="th" scope="row">
                    <Link component={RouterLink} to={`/subscriptions/${one.name}`}>
                      {one.name}
                    </Link>
                  </TableCell>
                  <TableCell sx={{ overflowWrap: "anywhere", whiteSpace: "normal" }}>{one.url}</TableCell>
                  <TableCell sx={{ overflowWrap: "anywhere", whiteSpace: "normal" }}>{followed(one, titles)}</TableCell>
                  <TableCell>{one.account}</TableCell>
                  <TableCell align="right">{one.waiting}</TableCell>
                  <TableCell align="right">{one.parked}</TableCell>
                  <TableCell>
                    <SubscriptionState subscription={one} />
                  </TableCell>
                </TableRow>
              ))}
            </TableBody>
          </Table>
        </TableContainer>
      )}
      {adding && (
        <SubscriptionDialog
          subscription={null}
          onClose={() => setAdding(false)}
          onAdded={(name, secret) => setMade({ name, secret })}
        />
      )}
    </>
  );
}
