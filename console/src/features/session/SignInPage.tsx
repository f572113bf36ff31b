import Box from "@mui/material/Box";
import Paper from "@mui/material/Paper";
import Typography from "@mui/material/Typography";
import { useQuery } from "@tanstack/react-query";
import { health } from "../../api/health";
import { WaterMark } from "../../ui/WaterMark";
import { SignInForm } from "./SignInForm";

/** Asks for name and password, or for a token where somebody has one. */
export function SignInPage() {
  const service = useQuery(health);
  return (
    <Box
      component="main"
      sx={{ minHeight: "100vh", display: "grid", gridTemplateColumns: "minmax(0, 420px)", placeContent: "center", p: 2 }}
    >
      <Paper variant="outlined" sx={{ p: { xs: 2.5, sm: 4 } }}>
        <WaterMark />
        <Typography variant="h1" sx={{ mt: 2 }}>
          {service.data?.title ?? "Fenland"}
        </Typography>
        <Typography color="textSecondary" sx={{ mb: 3 }}>
          Sign in to see and change records.
        </Typography>
        <SignInForm />
      </Paper>
    </Box>
  );
}
