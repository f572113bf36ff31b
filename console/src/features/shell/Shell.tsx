import DarkModeIcon from "@mui/icons-material/DarkModeOutlined";
import LightModeIcon from "@mui/icons-material/LightModeOutlined";
import Box from "@mui/material/Box";
import Button from "@mui/material/Button";
import IconButton from "@mui/material/IconButton";
import { useColorScheme } from "@mui/material/styles";
import Tooltip from "@mui/material/Tooltip";
import Typography from "@mui/material/Typography";
import { useQuery, useQueryClient } from "@tanstack/react-query";
import { NavLink, Outlet } from "react-router";
import { token } from "../../api/http";
import { health } from "../../api/health";
import type { Session } from "../../api/types";
import { WaterMark } from "../../ui/WaterMark";
import { collections } from "./queries";

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

export function Shell() {
  return (
    <Box sx={{ display: "grid", gridTemplateColumns: { xs: "1fr", md: "208px 1fr" }, minHeight: "100vh" }}>
      <SideBar />
      <Box component="main" sx={{ p: { xs: 2, md: 3 }, minWidth: 0 }}>
        <Outlet />
      </Box>
    </Box>
  );
}

function SideBar() {
  const found = useQuery(collections);
  const service = useQuery(health);
  const session = useQueryClient().getQueryData<Session | null>(["session"]);
  return (
    <Box component="header" sx={{ borderRight: 1, borderColor: "divider", display: "flex", flexDirection: "column", position: { md: "sticky" }, top: 0, height: { md: "100vh" } }}>
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
            <Box key={one.name} component={NavLink} to={`/c/${one.name}`} title={one.description} sx={link}>
              {one.title}
            </Box>
          ))}
      </Box>
      <Box sx={{ p: 2, borderTop: 1, borderColor: "divider" }}>
        <Typography variant="body2" noWrap title={session?.account}>
          {session?.title}
        </Typography>
        <Typography variant="body2" color="textSecondary" noWrap>
          {session?.roles.join(", ") ?? ""}
        </Typography>
        <SideBarButtons />
      </Box>
    </Box>
  );
}

function SideBarButtons() {
  const client = useQueryClient();
  const { mode, systemMode, setMode } = useColorScheme();
  const dark = (mode === "system" ? systemMode : mode) === "dark";
  const signOut = () => {
    token.forget();
    client.setQueryData(["session"], null);
    // Nothing that one account has read is kept for the next.
    client.removeQueries({ predicate: (query) => query.queryKey[0] !== "session" });
  };
  return (
    <Box sx={{ display: "flex", justifyContent: "space-between", alignItems: "center", mt: 1, mx: -1 }}>
      <Button size="small" onClick={signOut}>
        Sign out
      </Button>
      <Tooltip title={dark ? "Light colours" : "Dark colours"}>
        <IconButton size="small" aria-label={dark ? "Light colours" : "Dark colours"} onClick={() => setMode(dark ? "light" : "dark")}>
          {dark ? <LightModeIcon fontSize="small" /> : <DarkModeIcon fontSize="small" />}
        </IconButton>
      </Tooltip>
    </Box>
  );
}
