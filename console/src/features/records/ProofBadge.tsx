import VerifiedIcon from "@mui/icons-material/VerifiedOutlined";
import WarningIcon from "@mui/icons-material/WarningAmberOutlined";
import Alert from "@mui/material/Alert";
import Box from "@mui/material/Box";
import Button from "@mui/material/Button";
import { useMutation } from "@tanstack/react-query";
import { evidenceFile, evidenceOf } from "../../api/history";
import { verdictOn } from "../../lib/proof";
import { saveAs } from "../../lib/save";
import { moment } from "../../lib/text";

interface Props {
  collection: string;
  recordKey: string;
  /** What was checked is of this version: another one is to be checked anew. Null while it is not known. */
  version: number | null;
}

/** Checks, in the browser itself, that every entry of the record stands in the signed history. */
export function ProofBadge({ collection, recordKey, version }: Props) {
  const check = useMutation({
    mutationFn: async () => {
      const file = await evidenceOf(collection, recordKey);
      return { version, entries: file.entries.length, verdict: await verdictOn(file) };
    },
  });
  const save = useMutation({
    mutationFn: () => evidenceFile(collection, recordKey),
    onSuccess: (file) => saveAs(file, `${collection}-${recordKey}.evidence.json`),
  });
  const found = check.data?.version === version ? check.data : undefined;
  const trouble = check.error ?? save.error;
  return (
    <Box>
      {found && (
        <Alert
          severity={found.verdict.sound ? "success" : "error"}
          icon={found.verdict.sound ? <VerifiedIcon fontSize="small" /> : <WarningIcon fontSize="small" />}
          sx={{ mb: 1 }}
        >
          {found.verdict.sound
            ? `Proved here: all ${found.entries} entries stand unchanged in the history of ${found.verdict.size}, signed ${moment(found.verdict.time)}.`
            : "This history does not fit its proof."}
          {found.verdict.words.map((one) => (
            <Box key={one}>{one}</Box>
          ))}
        </Alert>
      )}
      {trouble && (
        <Alert severity="error" sx={{ mb: 1 }}>
          {trouble.message}
        </Alert>
      )}
      <Box sx={{ display: "flex", gap: 1, flexWrap: "wrap" }}>
        {!found && (
          <Button
            size="small"
            variant="outlined"
            disabled={version === null}
            loading={check.isPending}
            onClick={() => check.mutate()}
          >
            Check the proof
          </Button>
        )}
        <Button size="small" loading={save.isPending} onClick={() => save.mutate()}>
          Evidence file
        </Button>
      </Box>
    </Box>
  );
}
