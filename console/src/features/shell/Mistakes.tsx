import Alert from "@mui/material/Alert";
import Box from "@mui/material/Box";
import Typography from "@mui/material/Typography";
import { useQuery } from "@tanstack/react-query";
import { mistakes } from "../../api/mistakes";

/** What is wrong with the project's files as they are saved, told to who writes them. */
export function Mistakes() {
  const told = useQuery(mistakes).data?.told ?? "";
  if (told === "") return null;
  return (
    <Alert severity="warning" role="status" sx={{ mb: 2, "& .MuiAlert-message": { minWidth: 0 } }}>
      <Typography sx={{ fontWeight: 700 }}>The files of the project cannot be used as they are saved now.</Typography>
      The service goes on with what it had. Save a correction.
      <Box
        component="pre"
        tabIndex={0}
        aria-label="What is wrong"
        sx={{ m: 0, mt: 1, fontSize: "0.8125rem", maxHeight: 240, overflow: "auto" }}
      >
        {told}
      </Box>
    </Alert>
  );
}
