import Alert from "@mui/material/Alert";
import Button from "@mui/material/Button";
import Radio from "@mui/material/Radio";
import RadioGroup from "@mui/material/RadioGroup";
import FormControlLabel from "@mui/material/FormControlLabel";
import Table from "@mui/material/Table";
import TableBody from "@mui/material/TableBody";
import TableCell from "@mui/material/TableCell";
import TableHead from "@mui/material/TableHead";
import TableRow from "@mui/material/TableRow";
import Typography from "@mui/material/Typography";
import { useEffect, useRef, useState } from "react";
import type { FieldConflict } from "../../api/errors";
import type { Form } from "../../api/types";
import { shown } from "../../lib/text";

interface Props {
  form: Form;
  conflicts: FieldConflict[];
  onDecide: (keepTheirs: string[]) => void;
}

/** What somebody else changed in the same fields, side by side, with a choice for each. */
export function ConflictPanel({ form, conflicts, onDecide }: Props) {
  const [chosen, setChosen] = useState<Record<string, string>>({});
  // Nothing is saved until it is answered, so it is brought into sight.
  const panel = useRef<HTMLDivElement>(null);
  useEffect(() => panel.current?.focus(), [conflicts]);
  const nameOf = (one: FieldConflict) => one.pointer.slice(1);
  const open = conflicts.filter((one) => chosen[nameOf(one)] === undefined).length;
  const theirs = conflicts.map(nameOf).filter((name) => chosen[name] === "theirs");
  return (
    <Alert
      ref={panel}
      tabIndex={-1}
      severity="warning"
      icon={false}
      sx={{ mb: 2, "& .MuiAlert-message": { width: "100%" } }}
      aria-label="Conflict"
      role="region"
    >
      Somebody changed the same fields while you were editing. Nothing is saved yet: choose for each.
      <Table size="small" sx={{ my: 1 }}>
        <TableHead>
          <TableRow>
            {["Field", "You saw", "Now", "Yours", "Keep"].map((title) => (
              <TableCell key={title}>{title}</TableCell>
            ))}
          </TableRow>
        </TableHead>
        <TableBody>
          {conflicts.map((one) => {
            const name = nameOf(one);
            const label = form.schema.properties[name]?.title ?? name;
            return (
              <TableRow key={name}>
                <TableCell>{label}</TableCell>
                <TableCell>{shown(one.base)}</TableCell>
                <TableCell>{shown(one.current)}</TableCell>
                <TableCell>{shown(one.yours)}</TableCell>
                <TableCell>
                  <RadioGroup
                    row
                    aria-label={label}
                    value={chosen[name] ?? null}
                    onChange={(_, choice) => setChosen((old) => ({ ...old, [name]: choice }))}
                  >
                    <FormControlLabel value="theirs" label="theirs" control={<Radio size="small" />} />
                    <FormControlLabel value="mine" label="mine" control={<Radio size="small" />} />
                  </RadioGroup>
                </TableCell>
              </TableRow>
            );
          })}
        </TableBody>
      </Table>
      <Button variant="contained" disabled={open > 0} onClick={() => onDecide(theirs)}>
        Save with these choices
      </Button>
      {open > 0 && (
        <Typography component="span" variant="body2" sx={{ ml: 1.5 }}>
          {open === 1 ? "One field is" : `${open} fields are`} still to be chosen.
        </Typography>
      )}
    </Alert>
  );
}
