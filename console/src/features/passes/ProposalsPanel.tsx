import Box from "@mui/material/Box";
import Link from "@mui/material/Link";
import Typography from "@mui/material/Typography";
import { useQuery } from "@tanstack/react-query";
import { Link as RouterLink } from "react-router";
import { collectionInfo } from "../../api/collections";
import { proposalsOf } from "../../api/proposals";
import { moment } from "../../lib/text";
import { KINDS, STATES } from "./words";

interface Props {
  collection: string;
  recordKey: string;
}

/** What came in through passes for a record; for who may review it. */
export function ProposalsPanel({ collection, recordKey }: Props) {
  const may = useQuery(collectionInfo(collection)).data?.may.review ?? false;
  const found = useQuery({ ...proposalsOf(collection, recordKey), enabled: may });
  if (!may || !found.data || found.data.length === 0) return null;
  return (
    <Box component="section" aria-label="Proposals" sx={{ mb: 3 }}>
      <Typography variant="h2" sx={{ mb: 1 }}>
        Proposals
      </Typography>
      <Box component="ul" sx={{ m: 0, p: 0, listStyle: "none" }}>
        {found.data.map((one) => (
          <Box component="li" key={one.number} sx={{ py: 0.5 }}>
            <Link component={RouterLink} to={`/proposals/${one.number}`}>
              {KINDS[one.kind]} of {moment(one.time)}
            </Link>
            : {one.state === "waiting" ? <b>{STATES[one.state]}</b> : STATES[one.state]}
          </Box>
        ))}
      </Box>
    </Box>
  );
}
