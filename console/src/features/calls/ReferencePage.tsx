import Box from "@mui/material/Box";
import Checkbox from "@mui/material/Checkbox";
import FormControlLabel from "@mui/material/FormControlLabel";
import Link from "@mui/material/Link";
import MenuItem from "@mui/material/MenuItem";
import TextField from "@mui/material/TextField";
import Typography from "@mui/material/Typography";
import { useQuery } from "@tanstack/react-query";
import { useEffect, useRef, useState } from "react";
import { useSearchParams } from "react-router";
import { collections } from "../../api/collections";
import { asSignedIn, documentAddress, documentOf } from "../../api/reference";
import { Trouble } from "../../ui/Trouble";
import { Waiting } from "../../ui/Waiting";

const METHODS = ["get", "put", "post", "delete", "patch"];

/** The API, browsed: what there is, what each takes and answers, and trying it as whoever is signed in. */
export function ReferencePage() {
  const [params, setParams] = useSearchParams();
  const collection = params.get("collection") ?? "";
  const known = useQuery(collections).data ?? [];
  const found = useQuery(documentOf(collection));
  const [older, setOlder] = useState(false);
  const [flat, setFlat] = useState(false);
  const address = documentAddress(collection, older, flat);
  return (
    <>
      <title>The API</title>
      <Typography variant="h1" sx={{ mb: 2 }}>
        The API
      </Typography>
      <Box sx={{ display: "flex", flexWrap: "wrap", gap: 2, alignItems: "center", mb: 2 }}>
        <TextField
          select
          label="Of"
          value={known.some((one) => one.name === collection) ? collection : ""}
          onChange={(event) => setParams(event.target.value ? { collection: event.target.value } : {}, { replace: true })}
          slotProps={{ select: { displayEmpty: true }, inputLabel: { shrink: true } }}
          sx={{ width: 240 }}
        >
          <MenuItem value="">Everything</MenuItem>
          {known.map((one) => (
            <MenuItem key={one.name} value={one.name}>
              {one.title}
            </MenuItem>
          ))}
        </TextField>
        <FormControlLabel
          label="OpenAPI 3.0"
          control={<Checkbox checked={older} onChange={(event) => setOlder(event.target.checked)} />}
        />
        <FormControlLabel
          label="Without references"
          disabled={collection === ""}
          control={<Checkbox checked={flat && collection !== ""} onChange={(event) => setFlat(event.target.checked)} />}
        />
        <Link href={address} sx={{ overflowWrap: "anywhere" }}>
          {address}
        </Link>
      </Box>
      {found.isPending && <Waiting what="the API" />}
      {found.isError && <Trouble error={found.error} retry={found.refetch} />}
      {found.data !== undefined && <Viewer key={collection} document={found.data} />}
    </>
  );
}

/** Shown by a viewer that is loaded only here, in colours of its own. */
function Viewer({ document }: { document: unknown }) {
  const place = useRef<HTMLDivElement>(null);
  const [error, setError] = useState<Error | null>(null);
  const [ready, setReady] = useState(false);
  useEffect(() => {
    let left = false;
    const load = async () => {
      const [{ default: show }] = await Promise.all([
        import("swagger-ui-dist/swagger-ui-es-bundle"),
        import("swagger-ui-dist/swagger-ui.css"),
      ]);
      if (left || place.current === null) return;
      show({
        // It works on what it is given.
        spec: structuredClone(document),
        domNode: place.current,
        requestInterceptor: asSignedIn,
        // Nothing is sent elsewhere to be judged.
        validatorUrl: null,
        docExpansion: "list",
        defaultModelsExpandDepth: -1,
        supportedSubmitMethods: METHODS,
      });
      setReady(true);
    };
    load().catch((reason: unknown) => setError(reason instanceof Error ? reason : new Error(String(reason))));
    return () => {
      left = true;
    };
  }, [document]);
  if (error) return <Trouble error={error} />;
  return (
    <>
      {!ready && <Waiting what="the viewer" />}
      <Box ref={place} sx={{ bgcolor: "#fff", color: "#222", borderRadius: 1, p: { xs: 1, sm: 2 }, overflowX: "auto" }} />
    </>
  );
}
