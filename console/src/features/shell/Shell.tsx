import MenuIcon from "@mui/icons-material/Menu";
import Alert from "@mui/material/Alert";
import Box from "@mui/material/Box";
import Drawer from "@mui/material/Drawer";
import IconButton from "@mui/material/IconButton";
import Link from "@mui/material/Link";
import { useTheme } from "@mui/material/styles";
import Typography from "@mui/material/Typography";
import useMediaQuery from "@mui/material/useMediaQuery";
import { useQuery } from "@tanstack/react-query";
import { useRef, useState } from "react";
import { Outlet } from "react-router";
import { health } from "../../api/health";
import { useFocusKept } from "../../ui/focus";
import { WaterMark } from "../../ui/WaterMark";
import { LeaveProvider } from "../../ui/LeaveGuard";
import { Mistakes } from "./Mistakes";
import { SideBar } from "./SideBar";
import { useLive } from "./useLive";

/** Out of sight until it is reached by key: the first thing that is. */
const skip = {
  position: "fixed",
  top: 8,
  left: 8,
  zIndex: "tooltip",
  px: 2,
  py: 1,
  bgcolor: "background.paper",
  border: 2,
  borderColor: "primary.main",
  borderRadius: 1,
  "&:not(:focus)": { transform: "translateY(-300%)" },
};

/** The frame of every page: collections beside the content, or behind a menu where there is no room. */
export function Shell() {
  const wide = useMediaQuery(useTheme().breakpoints.up("md"));
  const [open, setOpen] = useState(false);
  const content = useRef<HTMLElement>(null);
  useFocusKept();
  const link = useLive();
  return (
    <Box
      sx={{
        display: "grid",
        gridTemplateColumns: { xs: "minmax(0, 1fr)", md: "208px minmax(0, 1fr)" },
        gridTemplateRows: { xs: "auto 1fr", md: "1fr" },
        minHeight: "100vh",
      }}
    >
      <Link
        href="#content"
        onClick={(event) => {
          event.preventDefault();
          content.current?.focus();
        }}
        sx={skip}
      >
        Skip to the content
      </Link>
      {wide ? (
        <Box component="header" sx={{ borderRight: 1, borderColor: "divider", position: "sticky", top: 0, height: "100vh" }}>
          <SideBar />
        </Box>
      ) : (
        <TopBar onMenu={() => setOpen(true)} />
      )}
      <Drawer open={open && !wide} onClose={() => setOpen(false)} slotProps={{ paper: { sx: { width: 264 } } }}>
        <SideBar onChosen={() => setOpen(false)} />
      </Drawer>
      <Box
        component="main"
        id="content"
        ref={content}
        tabIndex={-1}
        sx={{ p: { xs: 2, md: 3 }, minWidth: 0, "&:focus": { outline: "none" } }}
      >
        {link === "away" && (
          <Alert severity="warning" role="status" sx={{ mb: 2 }}>
            The connection to the service is gone. What is shown may have changed since; it is brought up to date once the service
            answers again.
          </Alert>
        )}
        <Mistakes />
        <LeaveProvider>
          <Outlet />
        </LeaveProvider>
      </Box>
    </Box>
  );
}

function TopBar({ onMenu }: { onMenu: () => void }) {
  const service = useQuery(health);
  return (
    <Box
      component="header"
      sx={{ display: "flex", alignItems: "center", gap: 1, px: 1, py: 0.5, borderBottom: 1, borderColor: "divider" }}
    >
      <IconButton aria-label="Collections and account" aria-haspopup="dialog" onClick={onMenu}>
        <MenuIcon />
      </IconButton>
      <WaterMark size={24} />
      <Typography variant="h2" component="span" noWrap>
        {service.data?.title ?? "Fenland"}
      </Typography>
    </Box>
  );
}
