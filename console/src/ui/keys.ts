import { useEffect, useEffectEvent } from "react";

/** Has Ctrl+S, on a Mac Cmd+S, save what the page is about, wherever the focus is; never while a dialog asks something. */
export function useSaveKey(save: () => void): void {
  const onKey = useEffectEvent((event: KeyboardEvent) => {
    if (event.key.toLowerCase() !== "s" || !(event.ctrlKey || event.metaKey) || event.altKey) return;
    // To keep the page as a file is never what is meant here.
    event.preventDefault();
    if (!document.querySelector('[role="dialog"]')) save();
  });
  useEffect(() => {
    window.addEventListener("keydown", onKey);
    return () => window.removeEventListener("keydown", onKey);
  }, []);
}
