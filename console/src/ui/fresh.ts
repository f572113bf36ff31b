import { keyframes } from "@mui/material/styles";

// Two of the same, so that what changes again is marked again.
const FADES = [0, 1].map(() =>
  keyframes({
    from: { backgroundColor: "rgba(var(--mui-palette-secondary-mainChannel) / 0.32)" },
    to: { backgroundColor: "transparent" },
  }),
);

/** How what others changed just now is marked; `version` tells one change from the next. */
export const freshMark = (version: number) => ({
  animation: `${FADES[version % 2]} 2.5s ease-out`,
  "@media (prefers-reduced-motion: reduce)": { animationTimingFunction: "step-end" },
});
