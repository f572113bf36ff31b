import Box from "@mui/material/Box";
import Paper from "@mui/material/Paper";
import { useTheme } from "@mui/material/styles";
import ToggleButton from "@mui/material/ToggleButton";
import ToggleButtonGroup from "@mui/material/ToggleButtonGroup";
import Typography from "@mui/material/Typography";
import { BarChart } from "@mui/x-charts/BarChart";
import { useQuery } from "@tanstack/react-query";
import { useState } from "react";
import { activityOf, type Search } from "../../api/history";
import type { CollectionInfo } from "../../api/types";
import { moment, shown } from "../../lib/text";
import { Trouble } from "../../ui/Trouble";
import { Waiting } from "../../ui/Waiting";
import { busiest } from "./model";

type By = "collection" | "actor";

const OWN: Record<string, string> = {
  fenland_accounts: "Accounts",
  fenland_definitions: "Definitions",
  fenland_subscriptions: "Subscriptions",
  others: "Others",
};

/** How many changes there were on each day, by collection or by whose they are. */
export function ActivityChart({ search, collections }: { search: Search; collections: CollectionInfo[] }) {
  const [by, setBy] = useState<By>("collection");
  const found = useQuery(activityOf(search, by));
  const colours = useColours();
  const titleOf = (name: string) =>
    OWN[name] ?? collections.find((one) => by === "collection" && one.name === name)?.title ?? name;
  const data = found.data;
  const series = busiest(data?.series ?? []);
  return (
    <Paper variant="outlined" sx={{ p: 2, mb: 2 }}>
      <Box sx={{ display: "flex", alignItems: "center", gap: 2, mb: 1 }}>
        <Typography variant="h2" sx={{ flex: 1 }}>
          Changes day by day
        </Typography>
        <ToggleButtonGroup
          size="small"
          exclusive
          value={by}
          onChange={(_, chosen: By | null) => chosen && setBy(chosen)}
          aria-label="Count by"
        >
          <ToggleButton value="collection">What</ToggleButton>
          <ToggleButton value="actor">Who</ToggleButton>
        </ToggleButtonGroup>
      </Box>
      {found.isPending && <Waiting what="the picture" />}
      {found.isError && <Trouble error={found.error} />}
      {data && series.length === 0 && <Typography color="textSecondary">Nothing happened in these days.</Typography>}
      {data && series.length > 0 && (
        <BarChart
          height={220}
          xAxis={[{ data: data.days.map(shown), scaleType: "band", tickLabelMinGap: 12 }]}
          yAxis={[{ width: 44, tickMinStep: 1 }]}
          series={series.map((one, place) => ({
            data: one.counts,
            label: titleOf(one.name),
            stack: "all",
            color: colours[place % colours.length] ?? "grey",
          }))}
          margin={{ left: 0, right: 8, top: 8, bottom: 0 }}
        />
      )}
      {data?.since != null && (
        <Typography variant="body2" color="textSecondary">
          Of collections that you may see in part, only what came after {moment(data.since)} is counted.
        </Typography>
      )}
    </Paper>
  );
}

/** Colours that can be told apart on the paper of the theme. */
function useColours(): string[] {
  const { palette } = useTheme();
  const { primary, secondary, success, error, text } = palette;
  return [primary.main, secondary.main, success.main, error.main, text.secondary, primary.light, secondary.light, success.light];
}
