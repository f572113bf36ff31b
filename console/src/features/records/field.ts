import type { Choices, FieldSchema } from "../../api/types";
import type { Kind } from "../../ui/fields";
import type { Control } from "./model";

/** What every input of a form is given. */
export interface FieldInputProps {
  name: string;
  schema: FieldSchema;
  kind: Kind;
  control: Control;
  choices: Choices | undefined;
  /** What is wrong, by JSON Pointer. */
  errors: Record<string, string>;
  pointer: string;
  disabled: boolean;
  required: boolean;
  /** Whether a new record gets something here where nobody enters anything. */
  begins?: boolean;
  /** Whether what can be chosen is offered as soon as one is here. */
  opens?: boolean;
  onChange: (control: Control) => void;
}

export function labelOf({ name, schema }: FieldInputProps): string {
  return schema.title ?? name;
}

function isHere(pointer: string, at: string): boolean {
  return at === pointer || at.startsWith(`${pointer}/`);
}

/** What is wrong at the field or inside it; else what its definition says of it. */
export function helpOf({ errors, pointer, schema, begins }: FieldInputProps): string | undefined {
  const wrong = Object.entries(errors).find(([at]) => isHere(pointer, at))?.[1];
  const said = [schema.description, begins ? "Left empty, it is filled in." : undefined].filter(Boolean).join(" ");
  return wrong ?? (said === "" ? undefined : said);
}

export function isWrong({ errors, pointer }: FieldInputProps): boolean {
  return Object.keys(errors).some((at) => isHere(pointer, at));
}
