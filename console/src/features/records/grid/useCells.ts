import { useQueryClient } from "@tanstack/react-query";
import { useCallback, useRef, useState } from "react";
import type { ApiError } from "../../../api/errors";
import { refreshCollection, updateRecord } from "../../../api/records";
import type { Form } from "../../../api/types";
import { shown } from "../../../lib/text";
import { schemaAt, sentenceFor } from "../../../ui/sentences";
import { useTell } from "../../../ui/messages";
import { draftFrom, patchFrom, type Control } from "../model";
import { useUndo } from "../useUndo";

/** A field of a record in a list. */
export interface Cell {
  id: string;
  recordKey: string;
  name: string;
}

/** What was typed into a cell and is not stored. */
export interface Unsaved extends Cell {
  control: Control;
  /** What stands in the way; null while it is being saved. */
  wrong: string | null;
}

export interface Opened extends Cell {
  /** What somebody began to type, in place of what is there. */
  typed: string;
  /** One opening told from the next. */
  turn: number;
}

export interface Cells {
  /** By `nameOf`. */
  unsaved: ReadonlyMap<string, Unsaved>;
  opened: Opened | null;
  open: (cell: Cell, typed?: string) => void;
  close: () => void;
  /** Saves what was typed over the version that the form was filled with. */
  save: (cell: Cell, form: Form, control: Control) => void;
  takeBack: (cell: Cell) => void;
}

/** What finds a cell in the page. */
export const nameOf = ({ id, name }: Pick<Cell, "id" | "name">): string => `${id} ${name}`;

/** What stands in the way of a save, in the words of whoever typed it. */
function wrongOf(error: ApiError, form: Form, name: string): string {
  const theirs = error.conflicts.find((one) => one.pointer === `/${name}`);
  if (theirs) return `Others changed this to ${shown(theirs.current)} meanwhile. Save it again to replace that.`;
  if (error.errors.length === 0) return error.message;
  const told = error.errors.map((one) => {
    const schema = schemaAt(form.schema, one.pointer);
    const here = one.pointer === `/${name}` || one.pointer.startsWith(`/${name}/`) || one.pointer === "";
    return here ? sentenceFor(one, schema) : `${schema?.title ?? one.pointer.slice(1)}: ${sentenceFor(one, schema)}`;
  });
  return told.join(" ");
}

/** The cells of a list that are edited: nothing typed is lost, whatever becomes of the rows. */
export function useCells(collection: string): Cells {
  const client = useQueryClient();
  const tell = useTell();
  const undo = useUndo(collection);
  const [unsaved, setUnsaved] = useState<ReadonlyMap<string, Unsaved>>(new Map());
  const [opened, setOpened] = useState<Opened | null>(null);
  const turn = useRef(0);
  const put = useCallback((cell: Cell, what: Unsaved | null) => {
    setUnsaved((old) => {
      const next = new Map(old);
      if (what === null) next.delete(nameOf(cell));
      else next.set(nameOf(cell), what);
      return next;
    });
  }, []);

  const open = useCallback((cell: Cell, typed = "") => {
    turn.current += 1;
    const { id, recordKey, name } = cell;
    const next = turn.current;
    setOpened((old) =>
      // Who types on before the input is there loses nothing.
      old !== null && nameOf(old) === nameOf(cell)
        ? { ...old, typed: old.typed + typed }
        : { id, recordKey, name, typed, turn: next },
    );
  }, []);

  const save = async ({ id, recordKey, name }: Cell, form: Form, control: Control) => {
    const cell = { id, recordKey, name };
    const fields = patchFrom(form, { ...draftFrom(form), [name]: control });
    if (Object.keys(fields).length === 0) {
      put(cell, null);
      return;
    }
    put(cell, { ...cell, control, wrong: null });
    try {
      const { saved, request } = await updateRecord(collection, recordKey, fields, form.etag);
      // The list shows it before the draft goes, so that nothing flickers.
      await refreshCollection(client, collection);
      put(cell, null);
      const title = form.schema.properties[name]?.title ?? name;
      if (saved === null) tell(`Saved. You may not see ${recordKey} any more.`);
      else undo.one(`Saved: ${title} of ${recordKey}.`, recordKey, request, `Undone: ${recordKey} is as it was before.`);
    } catch (error) {
      put(cell, { ...cell, control, wrong: wrongOf(error as ApiError, form, name) });
    }
  };

  return {
    unsaved,
    opened,
    open,
    close: () => setOpened(null),
    save: (cell, form, control) => void save(cell, form, control),
    takeBack: (cell) => put(cell, null),
  };
}
