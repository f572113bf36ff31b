import ClickAwayListener from "@mui/material/ClickAwayListener";
import LinearProgress from "@mui/material/LinearProgress";
import Paper from "@mui/material/Paper";
import Popper from "@mui/material/Popper";
import { useQuery } from "@tanstack/react-query";
import { useEffect, useEffectEvent, useRef, useState, type KeyboardEvent } from "react";
import { formOf } from "../../../api/records";
import type { Form } from "../../../api/types";
import { useTell } from "../../../ui/messages";
import { FieldInput } from "../FieldInput";
import { draftFrom, kindIn, sameControl, type Control } from "../model";
import { nameOf, type Cells, type Opened } from "./useCells";

/** Where somebody goes on after a cell was edited; null where they have gone elsewhere already. */
export type Onward = "down" | "next" | "previous" | "stay" | null;

interface Props {
  collection: string;
  cells: Cells;
  onDone: (onward: Onward) => void;
}

/** The place of a cell that is in the page. */
export const elementOf = (cell: string): HTMLElement | null =>
  document.querySelector<HTMLElement>(`[data-cell="${CSS.escape(cell)}"]`);

/** What stands over the cell that is edited. The form is asked for as it opens, so that it holds what is stored now. */
export function CellEditor({ collection, cells, onDone }: Props) {
  const opened = cells.opened;
  return opened === null ? null : (
    <Over key={`${nameOf(opened)} ${opened.turn}`} collection={collection} cells={cells} opened={opened} onDone={onDone} />
  );
}

function Over({ collection, cells, opened, onDone }: Props & { opened: Opened }) {
  const tell = useTell();
  // What is being saved of the record is seen by the form only once it is.
  const busy = [...cells.unsaved.values()].some((one) => one.id === opened.id && one.wrong === null);
  const found = useQuery({
    ...formOf(collection, opened.recordKey, opened.turn),
    enabled: !busy,
    retry: false,
  });
  const refused =
    found.error?.message ??
    (found.data && !found.data.writable.includes(opened.name) ? "This is not yours to change here." : null);
  const leave = useEffectEvent((why: string) => {
    tell(why, { severity: "error" });
    cells.close();
    onDone("stay");
  });
  useEffect(() => {
    if (refused !== null) leave(refused);
  }, [refused]);
  const anchor = elementOf(nameOf(opened)) ?? document.querySelector("main");
  const width = anchor?.getBoundingClientRect().width ?? 0;
  if (refused !== null) return null;
  return (
    <Popper
      open
      role="dialog"
      aria-label={`${found.data?.schema.properties[opened.name]?.title ?? opened.name} of ${opened.recordKey}`}
      anchorEl={anchor}
      placement="bottom-start"
      // Over the cell itself.
      modifiers={[{ name: "offset", options: { offset: ({ reference }: Placed) => [0, -reference.height] } }]}
      sx={{ zIndex: "modal" }}
    >
      <Paper elevation={6} sx={{ p: 1, pt: 1.5, minWidth: 240, width: Math.max(width, 240), maxWidth: "94vw" }}>
        {found.data ? (
          <Input form={found.data} opened={opened} cells={cells} onDone={onDone} />
        ) : (
          <LinearProgress aria-label="Opening the cell" />
        )}
      </Paper>
    </Popper>
  );
}

interface Placed {
  reference: { height: number };
}

interface InputProps extends Omit<Props, "collection"> {
  form: Form;
  opened: Opened;
}

function Input({ form, opened, cells, onDone }: InputProps) {
  const { name } = opened;
  const tell = useTell();
  const before = cells.unsaved.get(nameOf(opened));
  const stored = draftFrom(form)[name] ?? "";
  const [control, setControl] = useState<Control>(opened.typed || (before?.control ?? stored));
  const schema = form.schema.properties[name] ?? { type: "string" };
  const kind = kindIn(form, name);
  const box = useRef<HTMLDivElement>(null);
  // What is picked or taken in by leaving the input is there before it is drawn.
  const latest = useRef(control);
  const onward = useRef<Onward>("stay");
  const ended = useRef(false);
  // Typed into a choice, and not picked.
  const loose = useRef("");
  const input = () => box.current?.querySelector<HTMLInputElement | HTMLTextAreaElement>("input, textarea");
  useEffect(() => {
    const first = box.current?.querySelector<HTMLInputElement | HTMLTextAreaElement>("input, textarea");
    first?.focus();
    // What was begun to be typed goes on; what was there is replaced by the first key, or changed with the arrows.
    if (first?.type === "text" && opened.typed === "") first.select();
  }, [opened.typed]);
  const done = (value: Control) => {
    ended.current = true;
    cells.close();
    if (before !== undefined || !sameControl(value, stored)) cells.save(opened, form, value);
    onDone(onward.current);
  };
  const leave = (where: Onward) => {
    onward.current = where;
    const typed = loose.current;
    if (kind === "pick" || kind === "list") input()?.blur();
    if (ended.current) return;
    if (kind === "pick" && typed !== "") {
      tell(`Nothing matches “${typed}”. Choose one that is offered.`, { severity: "error" });
      input()?.focus();
      return;
    }
    done(latest.current);
  };
  const onKeyDown = (event: KeyboardEvent) => {
    event.stopPropagation();
    const parts = [...(box.current?.querySelectorAll<HTMLElement>("input, textarea, button") ?? [])];
    const isPart = kind === "group" || kind === "rows";
    // Where there are several inputs, the others come first; and a button is pressed.
    if (isPart && event.key === "Tab" && event.target !== parts.at(event.shiftKey ? 0 : -1)) return;
    if (isPart && event.key === "Enter" && event.target instanceof HTMLButtonElement) return;
    if (event.key === "Tab") {
      event.preventDefault();
      leave(event.shiftKey ? "previous" : "next");
      return;
    }
    // An open list has taken it already.
    if (event.defaultPrevented) return;
    if (event.key === "Escape") {
      cells.close();
      onDone("stay");
    }
    // A long text has lines of its own.
    const ends = (kind !== "long" && kind !== "json") || event.ctrlKey || event.metaKey;
    if (event.key === "Enter" && ends) {
      event.preventDefault();
      leave("down");
    }
  };
  return (
    <ClickAwayListener mouseEvent="onMouseDown" onClickAway={() => leave(null)}>
      <div
        ref={box}
        onKeyDownCapture={(event) => (onward.current = event.key === "Enter" ? "down" : "stay")}
        onInput={(event) => (loose.current = (event.target as HTMLInputElement).value)}
        onKeyDown={onKeyDown}
      >
        <FieldInput
          name={name}
          schema={schema}
          kind={kind}
          control={control}
          choices={form.choices[name]}
          errors={before?.wrong ? { [`/${name}`]: before.wrong } : {}}
          pointer={`/${name}`}
          disabled={false}
          required={form.schema.required.includes(name)}
          opens
          onChange={(value) => {
            latest.current = value;
            setControl(value);
            // What is picked is meant.
            if (kind === "pick") done(value);
          }}
        />
      </div>
    </ClickAwayListener>
  );
}
