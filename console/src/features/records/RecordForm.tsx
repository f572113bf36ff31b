import Alert from "@mui/material/Alert";
import Box from "@mui/material/Box";
import Button from "@mui/material/Button";
import Typography from "@mui/material/Typography";
import { useEffect, useRef, useState, type KeyboardEvent, type ReactNode, type SyntheticEvent } from "react";
import { Controller, useForm } from "react-hook-form";
import { shown } from "../../lib/text";
import { freshMark } from "../../ui/fresh";
import type { ApiError } from "../../api/errors";
import type { Fields, Form } from "../../api/types";
import type { Json } from "../../lib/json";
import { AskDialog } from "../../ui/AskDialog";
import { useSaveKey } from "../../ui/keys";
import { LeaveGuard } from "../../ui/LeaveGuard";
import { FieldInput } from "./FieldInput";
import type { Kind } from "../../ui/fields";
import { isReserved, kindIn, type Draft } from "./model";
import { schemaAt, sentenceFor } from "../../ui/sentences";
import { StoredValue } from "./StoredValue";
import { useMerged } from "./useMerged";

interface Props {
  form: Form;
  start: Draft;
  busy: boolean;
  error: ApiError | null;
  submitLabel: string;
  /** What it is a form of, where another one is on the page. */
  label?: string;
  /** Whether another part of the page it is on keeps what is typed. */
  within?: boolean;
  /** Whether it can be sent with nothing changed, as a record to create can. */
  always?: boolean;
  onSubmit: (draft: Draft) => void;
  onCancel: () => void;
  /** Offers to show what would be saved, where that can be asked. */
  onPreview?: (draft: Draft) => void;
  /** Told of the draft as it is typed, once there is a pause; and what derived fields would hold then. */
  onTyped?: (draft: Draft) => void;
  /** Told whether anything is typed that is not saved. */
  onEditing?: (editing: boolean) => void;
  /** Told where others changed what is being changed here. */
  onBoth?: () => void;
  derived?: Fields | undefined;
  children?: ReactNode;
}

/** How long after the last key it is asked what derived fields would hold. */
const PAUSE_MS = 400;

/** Inputs that take the whole width. */
const WIDE: Kind[] = ["long", "list", "rows", "group", "json"];

/** Stays in sight at the foot of a long form. */
const actionBar = {
  display: "flex",
  flexWrap: "wrap",
  gap: 1.5,
  alignItems: "center",
  position: "sticky",
  bottom: 0,
  zIndex: 2,
  mx: -2.5,
  mb: -2.5,
  px: 2.5,
  py: 1.5,
  bgcolor: "background.paper",
  borderTop: 1,
  borderColor: "divider",
  borderRadius: "0 0 6px 6px",
};

/** The form of a record. What its inputs mean is in model.ts. */
export function RecordForm({
  form,
  start,
  busy,
  error,
  submitLabel,
  label = "Record",
  always = false,
  within = false,
  onSubmit,
  onCancel,
  onPreview,
  onTyped,
  onEditing,
  onBoth,
  derived,
  children,
}: Props) {
  const { control, formState, getValues, handleSubmit, reset, setValue, watch } = useForm<Draft>({ defaultValues: start });
  useEffect(() => {
    let timer: number | undefined;
    const typed = watch(() => {
      clearTimeout(timer);
      timer = window.setTimeout(() => onTyped?.(getValues()), PAUSE_MS);
    });
    return () => {
      clearTimeout(timer);
      typed.unsubscribe();
    };
  }, [watch, getValues, onTyped]);
  const changed = formState.isDirty;
  useEffect(() => onEditing?.(changed), [changed, onEditing]);
  const theirs = useMerged(start, { getValues, reset, setValue }, onBoth);
  const told = (error?.errors ?? []).map((one) => ({ ...one, sentence: sentenceFor(one, schemaAt(form.schema, one.pointer)) }));
  const errors = Object.fromEntries(told.map((one) => [one.pointer, one.sentence]));
  const placed = form.writable.map((name) => `/${name}`);
  const elsewhere = told.filter((one) => !placed.some((at) => one.pointer === at || one.pointer.startsWith(`${at}/`)));
  const submit = (event: SyntheticEvent) =>
    void handleSubmit((draft) => {
      if (!busy && (always || changed)) onSubmit(draft);
    })(event);
  const [asking, setAsking] = useState(false);
  const discard = () => {
    setAsking(false);
    reset(start);
    theirs.forget();
    onCancel();
  };
  const onKey = (event: KeyboardEvent) => {
    // Enter begins a new line in a long text; with Ctrl it saves from there too.
    if (event.key === "Enter" && (event.ctrlKey || event.metaKey)) submit(event);
    // An open list has closed itself by it, and says so.
    if (event.key !== "Escape" || event.defaultPrevented || busy) return;
    if (changed) setAsking(true);
    else if (always) onCancel();
  };
  // What was refused is corrected at once: the focus is there already.
  const element = useRef<HTMLFormElement>(null);
  useSaveKey(() => element.current?.requestSubmit());
  useEffect(() => {
    if (error === null) return;
    const wrong = element.current?.querySelector<HTMLElement>('[aria-invalid="true"]:not([disabled]), [role="alert"]');
    wrong?.focus();
  }, [error, busy]);
  const names = Object.keys(form.schema.properties).filter((name) => !isReserved(form.schema.properties[name]));
  return (
    <>
      <LeaveGuard unsaved={changed} within={within} />
      <AskDialog
        open={asking}
        title="Discard what you changed?"
        yes="Discard"
        no="Go on editing"
        onYes={discard}
        onNo={() => setAsking(false)}
      >
        Nothing of it is saved.
      </AskDialog>
      <Box
        ref={element}
        component="form"
        noValidate
        onSubmit={submit}
        onKeyDown={onKey}
        aria-label={label}
        sx={{
          display: "grid",
          columnGap: 2,
          rowGap: 2.25,
          gridTemplateColumns: { xs: "1fr", sm: "1fr 1fr" },
          "& > .wide": { gridColumn: "1 / -1" },
        }}
      >
        {names.map((name) => {
          const schema = form.schema.properties[name];
          if (!schema) return null;
          if (!form.writable.includes(name))
            return (
              <StoredValue
                key={name}
                label={schema.title ?? name}
                value={schema["x-derived"] && derived ? derived[name] : labelled(form, name)}
                hidden={schema.writeOnly === true}
                derived={schema["x-derived"] === true}
              />
            );
          return (
            <Box
              key={name}
              className={WIDE.includes(kindIn(form, name)) ? "wide" : ""}
              sx={theirs.news.includes(name) ? { borderRadius: 1, ...freshMark(form.version ?? 0) } : {}}
            >
              <Controller
                name={name}
                control={control}
                render={({ field }) => (
                  <FieldInput
                    name={name}
                    schema={schema}
                    kind={kindIn(form, name)}
                    control={field.value}
                    choices={form.choices[name]}
                    errors={errors}
                    pointer={`/${name}`}
                    disabled={busy}
                    required={form.schema.required.includes(name)}
                    begins={form.version === null && schema["x-begins"] === true}
                    onChange={field.onChange}
                  />
                )}
              />
              {theirs.both.includes(name) && (
                <Typography role="status" variant="body2" sx={{ color: "secondary.main", mt: 0.5 }}>
                  Others changed this to {shown(labelled(form, name) ?? null) || "nothing"} meanwhile. What you typed stays; you
                  are asked which to keep when you save.
                </Typography>
              )}
            </Box>
          );
        })}
        {form.writable.length > 0 && (
          <Box className="wide" data-bar sx={actionBar}>
            {error && (
              <Alert severity="error" tabIndex={-1} sx={{ flexBasis: "100%" }}>
                {error.errors.length > 0 ? "Nothing was saved yet. Correct what is marked, then save again." : error.message}
                {elsewhere.map((one) => (
                  <div key={one.pointer + one.code}>
                    {/* What is wrong with the record as a whole has no place of its own. */}
                    {one.pointer !== "" && `${schemaAt(form.schema, one.pointer)?.title ?? one.pointer.slice(1)}: `}
                    {one.sentence}
                  </div>
                ))}
              </Alert>
            )}
            <Button type="submit" variant="contained" loading={busy} disabled={!always && !changed}>
              {submitLabel}
            </Button>
            {onPreview && (
              <Button disabled={busy || !changed} onClick={() => onPreview(getValues())}>
                Preview
              </Button>
            )}
            <Button disabled={busy || (!always && !changed)} onClick={discard}>
              Cancel
            </Button>
            <Box sx={{ flex: 1 }} />
            {children}
          </Box>
        )}
      </Box>
    </>
  );
}

/** A stored value, with the label of its choice where it has one. */
function labelled(form: Form, name: string): Json | undefined {
  const value = form.values[name];
  return form.choices[name]?.options.find((one) => one.value === value)?.label ?? value;
}
