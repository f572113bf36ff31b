import Box from "@mui/material/Box";
import Button from "@mui/material/Button";
import Link from "@mui/material/Link";
import MenuItem from "@mui/material/MenuItem";
import TextField from "@mui/material/TextField";
import Typography from "@mui/material/Typography";
import { useInfiniteQuery, useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { useState } from "react";
import { Link as RouterLink, useParams } from "react-router";
import { collectionInfo } from "../../api/collections";
import { makePass, passesOf } from "../../api/passes";
import { Trouble } from "../../ui/Trouble";
import { Waiting } from "../../ui/Waiting";
import { LinkAlert } from "./LinkAlert";
import { PassLine } from "./PassLine";

/** All passes for records of a collection, and what has become of them. */
export function PassesPage() {
  const { collection = "" } = useParams();
  const client = useQueryClient();
  const info = useQuery(collectionInfo(collection));
  const [template, setTemplate] = useState("");
  const found = useInfiniteQuery(passesOf(collection, null, template || null));
  const [link, setLink] = useState<string | null>(null);
  const make = useMutation({
    mutationFn: (name: string) => makePass(client, collection, name, null),
    onSuccess: (made) => setLink(made.link),
  });
  if (info.isPending || found.isPending) return <Waiting what="passes" />;
  if (info.isError) return <Trouble title="Passes cannot be shown" error={info.error} retry={info.refetch} />;
  const titleOf = (name: string) => info.data.passes.find((one) => one.name === name)?.title ?? name;
  const items = found.data?.pages.flatMap((page) => page.items) ?? [];
  return (
    <>
      <title>{`Passes · ${info.data.title}`}</title>
      <Link component={RouterLink} to={`/c/${collection}`} underline="hover">
        ← {info.data.title}
      </Link>
      <Typography variant="h1" sx={{ mt: 0.5, mb: 1 }}>
        Passes
      </Typography>
      <Typography color="textSecondary" sx={{ mb: 2 }}>
        Links by which people without an account see their own data, and say what is wrong in it.
      </Typography>
      <Box sx={{ display: "flex", gap: 2, flexWrap: "wrap", alignItems: "center", mb: 2 }}>
        <TextField
          select
          label="Template"
          value={template}
          onChange={(event) => setTemplate(event.target.value)}
          slotProps={{ select: { displayEmpty: true }, inputLabel: { shrink: true } }}
          sx={{ width: 320 }}
        >
          <MenuItem value="">Every template</MenuItem>
          {info.data.passes.map((one) => (
            <MenuItem key={one.name} value={one.name}>
              {one.title}
            </MenuItem>
          ))}
        </TextField>
        {info.data.passes
          .filter((one) => one.lists)
          .map((one) => (
            <Button key={one.name} variant="outlined" loading={make.isPending} onClick={() => make.mutate(one.name)}>
              Make a link: {one.title}
            </Button>
          ))}
      </Box>
      {make.isError && <Trouble error={make.error} />}
      {link !== null && <LinkAlert link={link} onClose={() => setLink(null)} />}
      {found.isError && <Trouble error={found.error} retry={found.refetch} />}
      {found.data && items.length === 0 && <Typography sx={{ py: 4 }}>Nothing was handed out yet.</Typography>}
      <Box component="ul" sx={{ m: 0, p: 0 }}>
        {items.map((one) => (
          <PassLine
            key={one.number}
            pass={one}
            title={`${titleOf(one.template)}${one.key === null ? "" : `, ${one.key}`}`}
            onLink={setLink}
          />
        ))}
      </Box>
      {found.hasNextPage && (
        <Button onClick={() => void found.fetchNextPage()} loading={found.isFetchingNextPage} sx={{ mt: 1 }}>
          Earlier ones
        </Button>
      )}
    </>
  );
}
