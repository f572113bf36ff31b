import Typography from "@mui/material/Typography";
import { useQuery } from "@tanstack/react-query";
import { Navigate } from "react-router";
import { collections } from "../../api/collections";
import { Trouble } from "../../ui/Trouble";
import { Waiting } from "../../ui/Waiting";

/** Leads to the first collection that may be read. */
export function StartPage() {
  const found = useQuery(collections);
  if (found.isPending) return <Waiting what="collections" />;
  if (found.isError) return <Trouble error={found.error} retry={found.refetch} />;
  const first = found.data.find((one) => one.may.read);
  if (first === undefined) return <Typography>There is no collection that you may read.</Typography>;
  return <Navigate to={`/c/${first.name}`} replace />;
}
