import DarkModeIcon from "@mui/icons-material/DarkModeOutlined";
import LightModeIcon from "@mui/icons-material/LightModeOutlined";
import Box from "@mui/material/Box";
import Button from "@mui/material/Button";
import Chip from "@mui/material/Chip";
import IconButton from "@mui/material/IconButton";
import Link from "@mui/material/Link";
import { useColorScheme } from "@mui/material/styles";
import Tooltip from "@mui/material/Tooltip";
import Typography from "@mui/material/Typography";
import { useQuery, useQueryClient } from "@tanstack/react-query";
import { NavLink } from "react-router";
import { collections } from "../../api/collections";
import { health } from "../../api/health";
import { waitingCounts } from "../../api/proposals";
import { session, signOut } from "../../api/session";
import { WaterMark } from "../../ui/WaterMark";

const link = {
  display: "block",
  px: 2,
  py: 1,
  borderLeft: "4px solid transparent",
  color: "text.primary",
  textDecoration: "none",
  "&:hover": { bgcolor: "action.hover" },
  "&:focus-visible": { outline: "2px solid", outlineColor: "primary.main", outlineOffset: -2 },
  "&.active": { borderColor: "secondary.main", bgcolor: "background.paper", fontWeight: 700 },
};

/** The collections in the project's order, and who is signed in. */
export function SideBar({ onChosen }: { onChosen?: () => void }) {
  const found = useQuery(collections);
  const service = useQuery(health);
  const account = useQuery(session).data;
  return (
    <Box sx={{ display: "flex", flexDirection: "column", height: "100%" }}>
      <Box sx={{ display: "flex", gap: 1.5, alignItems: "center", p: 2 }}>
        <WaterMark size={32} />
        <Typography variant="h2" component="span">
          {service.data?.title ?? "Fenland"}
        </Typography>
      </Box>
      <Box component="nav" aria-label="Collections" sx={{ flex: 1, overflowY: "auto" }}>
        {found.data
          ?.filter((one) => one.may.read)
          .map((one) => (
            <Box key={one.name} component={NavLink} to={`/c/${one.name}`} title={one.description} sx={link} onClick={onChosen}>
              {one.title}
            </Box>
          ))}
      </Box>
      {found.data?.some((one) => one.may.review) && <Proposals onChosen={onChosen} />}
      <Box component={NavLink} to="/activity" sx={link} onClick={onChosen}>
        Activity
      </Box>
      {account?.manages_accounts && (
        <Box component={NavLink} to="/accounts" sx={link} onClick={onChosen}>
          Accounts
        </Box>
      )}
      {account?.manages_accounts && (
        <Box component={NavLink} to="/notices" sx={link} onClick={onChosen}>
          Notices
        </Box>
      )}
      {account?.may_subscribe && (
        <Box component={NavLink} to="/subscriptions" sx={link} onClick={onChosen}>
          Subscriptions
        </Box>
      )}
      <Box sx={{ p: 2, borderTop: 1, borderColor: "divider" }}>
        <Link component={NavLink} to="/account" variant="body2" noWrap title={account?.account} onClick={onChosen}>
          {account?.title}
        </Link>
        <Typography variant="body2" color="textSecondary" noWrap>
          {account?.roles.join(", ") ?? ""}
        </Typography>
        <Buttons />
      </Box>
    </Box>
  );
}

/** What waits to be reviewed; the count follows what comes in. */
function Proposals({ onChosen }: { onChosen?: (() => void) | undefined }) {
  const waiting = useQuery(waitingCounts).data?.all ?? 0;
  return (
    <Box component={NavLink} to="/proposals" sx={link} onClick={onChosen}>
      Proposals
      {waiting > 0 && (
        <Chip size="small" color="secondary" label={waiting} aria-label={`${waiting} waiting`} sx={{ ml: 1, height: 20 }} />
      )}
    </Box>
  );
}

function Buttons() {
  const client = useQueryClient();
  const { mode, systemMode, setMode } = useColorScheme();
  const dark = (mode === "system" ? systemMode : mode) === "dark";
  const words = dark ? "Light colours" : "Dark colours";
  return (
    <Box sx={{ display: "flex", justifyContent: "space-between", alignItems: "center", mt: 1, mx: -1 }}>
      <Button size="small" onClick={() => void signOut(client)}>
        Sign out
      </Button>
      <Tooltip title={words}>
        <IconButton size="small" aria-label={words} onClick={() => setMode(dark ? "light" : "dark")}>
          {dark ? <LightModeIcon fontSize="small" /> : <DarkModeIcon fontSize="small" />}
        </IconButton>
      </Tooltip>
    </Box>
  );
}
