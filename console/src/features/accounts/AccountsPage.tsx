import Button from "@mui/material/Button";
import Box from "@mui/material/Box";
import Chip from "@mui/material/Chip";
import Table from "@mui/material/Table";
import TableBody from "@mui/material/TableBody";
import TableCell from "@mui/material/TableCell";
import TableContainer from "@mui/material/TableContainer";
import TableHead from "@mui/material/TableHead";
import TableRow from "@mui/material/TableRow";
import Typography from "@mui/material/Typography";
import { useQuery } from "@tanstack/react-query";
import { useState } from "react";
import { accounts, type Account } from "../../api/accounts";
import { Trouble } from "../../ui/Trouble";
import { Waiting } from "../../ui/Waiting";
import { AccountDialog } from "./AccountDialog";

/** All accounts, for who manages them. */
export function AccountsPage() {
  const found = useQuery(accounts);
  const [edited, setEdited] = useState<Account | "new" | null>(null);
  if (found.isPending) return <Waiting what="accounts" />;
  if (found.isError) return <Trouble title="Accounts cannot be shown" error={found.error} retry={found.refetch} />;
  return (
    <>
      <title>Accounts</title>
      <Box sx={{ display: "flex", gap: 2, alignItems: "baseline", mb: 2 }}>
        <Typography variant="h1">Accounts</Typography>
        <Typography color="textSecondary" sx={{ flex: 1 }}>
          {found.data.items.length}
        </Typography>
        <Button variant="contained" onClick={() => setEdited("new")}>
          New account
        </Button>
      </Box>
      <TableContainer>
        <Table size="small">
          <TableHead>
            <TableRow>
              <TableCell>Name</TableCell>
              <TableCell>Title</TableCell>
              <TableCell>Roles</TableCell>
              <TableCell>Attributes</TableCell>
              <TableCell />
            </TableRow>
          </TableHead>
          <TableBody>
            {found.data.items.map((one) => (
              <TableRow key={one.name} hover>
                <TableCell component="th" scope="row">
                  {one.name}
                </TableCell>
                <TableCell>
                  {one.title} {one.disabled && <Chip size="small" label="disabled" />}
                </TableCell>
                <TableCell>{one.roles.join(", ")}</TableCell>
                <TableCell sx={{ overflowWrap: "anywhere" }}>
                  {Object.entries(one.attributes)
                    .map(([name, value]) => `${name}: ${typeof value === "string" ? value : JSON.stringify(value)}`)
                    .join(", ")}
                </TableCell>
                <TableCell align="right">
                  <Button size="small" aria-label={`Change ${one.name}`} onClick={() => setEdited(one)}>
                    Change
                  </Button>
                </TableCell>
              </TableRow>
            ))}
          </TableBody>
        </Table>
      </TableContainer>
      {edited !== null && (
        <AccountDialog account={edited === "new" ? null : edited} roles={found.data.roles} onClose={() => setEdited(null)} />
      )}
    </>
  );
}
