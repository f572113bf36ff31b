import { useQueryClient } from "@tanstack/react-query";
import { useEffect, useState } from "react";
import { collectionOf, follow, tellOf, type Link } from "../../api/following";
import { isSettledHistory } from "../../api/history";
import { refreshPasses } from "../../api/passes";
import { refreshProposals } from "../../api/proposals";
import { refreshCollection } from "../../api/records";

/** How long changes are gathered before what is shown is asked for anew. */
const GATHER_MS = 200;

/** Keeps all that is shown in step with what is stored; whether the connection for that is there. */
export function useLive(): Link {
  const client = useQueryClient();
  const [link, setLink] = useState<Link>("live");
  useEffect(() => {
    const changed = new Set<string>();
    let proposed = false;
    let timer: number | undefined;
    const refresh = () => {
      timer = undefined;
      for (const name of changed) void refreshCollection(client, name);
      changed.clear();
      if (proposed) {
        proposed = false;
        void refreshProposals(client);
        void refreshPasses(client);
      }
      void client.invalidateQueries({ predicate: (query) => isSettledHistory(query.queryKey) });
    };
    const end = follow({
      onLink: setLink,
      onEvents: (events) => {
        for (const event of events) {
          if (event.type === "fenland.reset") void client.invalidateQueries();
          else if (event.type.startsWith("fenland.proposal.")) proposed = true;
          else changed.add(collectionOf(event));
          tellOf(event);
        }
        timer ??= window.setTimeout(refresh, GATHER_MS);
      },
    });
    return () => {
      clearTimeout(timer);
      end();
    };
  }, [client]);
  return link;
}
