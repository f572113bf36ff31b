import { useQuery } from "@tanstack/react-query";
import { useEffect } from "react";
import { leave, presenceAt, type Other } from "../../api/presence";

const NOBODY: Other[] = [];

/** Who else has a record open; others are told that it is open here, and whether it is edited. */
export function usePresence(collection: string, recordKey: string, editing: boolean): Other[] {
  const found = useQuery(presenceAt(collection, recordKey, editing));
  useEffect(() => () => leave(collection, recordKey), [collection, recordKey]);
  return found.data ?? NOBODY;
}
