import Box from "@mui/material/Box";
import Button from "@mui/material/Button";
import Typography from "@mui/material/Typography";
import { useInfiniteQuery, useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { useState } from "react";
import { collectionInfo } from "../../api/collections";
import { makePass, passesOf } from "../../api/passes";
import { Trouble } from "../../ui/Trouble";
import { Waiting } from "../../ui/Waiting";
import { LinkAlert } from "./LinkAlert";
import { PassLine } from "./PassLine";

interface Props {
  collection: string;
  recordKey: string;
}

/** The links that people without an account have to a record; for who may hand them out. */
export function PassesPanel({ collection, recordKey }: Props) {
  const info = useQuery(collectionInfo(collection)).data;
  const [open, setOpen] = useState(false);
  const templates = info?.passes.filter((one) => !one.lists) ?? [];
  if (!info?.may.pass || templates.length === 0) return null;
  return (
    <Box component="section" aria-label="Passes" sx={{ mt: 3 }}>
      <Typography variant="h2" sx={{ mb: 1 }}>
        Passes
      </Typography>
      {open ? (
        <Handed collection={collection} recordKey={recordKey} templates={templates} />
      ) : (
        <Button variant="outlined" onClick={() => setOpen(true)}>
          Links for people without an account
        </Button>
      )}
    </Box>
  );
}

function Handed({ collection, recordKey, templates }: Props & { templates: { name: string; title: string }[] }) {
  const client = useQueryClient();
  const found = useInfiniteQuery(passesOf(collection, recordKey));
  const [link, setLink] = useState<string | null>(null);
  const make = useMutation({
    mutationFn: (template: string) => makePass(client, collection, template, recordKey),
    onSuccess: (made) => setLink(made.link),
  });
  const items = found.data?.pages.flatMap((page) => page.items) ?? [];
  const titleOf = (name: string) => templates.find((one) => one.name === name)?.title ?? name;
  return (
    <>
      {templates.map((one) => (
        <Button
          key={one.name}
          variant="outlined"
          loading={make.isPending && make.variables === one.name}
          onClick={() => make.mutate(one.name)}
          sx={{ mr: 1 }}
        >
          Make a link: {one.title}
        </Button>
      ))}
      {make.isError && <Trouble error={make.error} />}
      {link !== null && <LinkAlert link={link} onClose={() => setLink(null)} />}
      {found.isPending && <Waiting what="passes" />}
      {found.isError && <Trouble error={found.error} retry={found.refetch} />}
      {found.data && items.length === 0 && <Typography color="textSecondary">Nobody has a link to it yet.</Typography>}
      <Box component="ul" sx={{ m: 0, mt: 1, p: 0 }}>
        {items.map((one) => (
          <PassLine key={one.number} pass={one} title={titleOf(one.template)} onLink={setLink} />
        ))}
      </Box>
      {found.hasNextPage && (
        <Button onClick={() => void found.fetchNextPage()} loading={found.isFetchingNextPage}>
          Earlier ones
        </Button>
      )}
    </>
  );
}
