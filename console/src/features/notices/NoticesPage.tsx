import Button from "@mui/material/Button";
import Link from "@mui/material/Link";
import Table from "@mui/material/Table";
import TableBody from "@mui/material/TableBody";
import TableCell from "@mui/material/TableCell";
import TableContainer from "@mui/material/TableContainer";
import TableHead from "@mui/material/TableHead";
import TableRow from "@mui/material/TableRow";
import Typography from "@mui/material/Typography";
import { useInfiniteQuery } from "@tanstack/react-query";
import { Link as RouterLink } from "react-router";
import { notices } from "../../api/notices";
import { moment, shown } from "../../lib/text";
import type { Json } from "../../lib/json";
import { Trouble } from "../../ui/Trouble";
import { Waiting } from "../../ui/Waiting";

/** The notices that effects left for other systems, for who manages accounts. */
export function NoticesPage() {
  const found = useInfiniteQuery(notices);
  if (found.isPending) return <Waiting what="notices" />;
  if (found.isError) return <Trouble title="Notices cannot be shown" error={found.error} retry={found.refetch} />;
  const items = found.data.pages.flatMap((page) => page.items);
  return (
    <>
      <title>Notices</title>
      <Typography variant="h1" sx={{ mb: 1 }}>
        Notices
      </Typography>
      <Typography color="textSecondary" sx={{ mb: 2 }}>
        Messages for other systems, left by effects with the change that they come of.
      </Typography>
      {items.length === 0 && <Typography sx={{ py: 4 }}>No effect has left a notice yet.</Typography>}
      {items.length > 0 && (
        <TableContainer>
          <Table size="small">
            <TableHead>
              <TableRow>
                <TableCell>No.</TableCell>
                <TableCell>Time</TableCell>
                <TableCell>Notice</TableCell>
                <TableCell>Of</TableCell>
                <TableCell>Says</TableCell>
              </TableRow>
            </TableHead>
            <TableBody>
              {items.map((one) => (
                <TableRow key={one.number} hover>
                  <TableCell>{one.number}</TableCell>
                  <TableCell sx={{ whiteSpace: "nowrap" }}>{moment(one.time)}</TableCell>
                  <TableCell component="th" scope="row">
                    {one.notice}
                  </TableCell>
                  <TableCell>
                    <Link component={RouterLink} to={`/c/${one.collection}/r/${encodeURIComponent(String(one.key))}`}>
                      {`${one.collection} ${String(one.key)}`}
                    </Link>
                  </TableCell>
                  <TableCell sx={{ overflowWrap: "anywhere", whiteSpace: "normal" }}>
                    {Object.entries(one.data)
                      .map(([name, value]) => `${name}: ${shown(value as Json)}`)
                      .join(", ")}
                  </TableCell>
                </TableRow>
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
    </>
  );
}
