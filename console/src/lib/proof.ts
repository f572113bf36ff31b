import { isObject, writeJson, type Json } from "./json";

/**
 * Checking an evidence file in the browser, with nothing but Web Crypto: docs/verifying.md describes it.
 * Nothing here asks the service whether it is right.
 */

export interface Proven {
  sequence: number;
  leaf_hash: string | null;
  path: string[];
  leaf: Json;
  opened: Record<string, Json>;
}

export interface EvidenceFile {
  id: string;
  head: { size: number; root: string; time: string; signed: string };
  keys: { keys: Json[] };
  entries: Proven[];
}

export interface Verdict {
  sound: boolean;
  /** What is wrong, or what could not be checked. */
  words: string[];
  size: number;
  time: string;
}

const encoder = new TextEncoder();

export const hexOf = (bytes: Uint8Array): string => Array.from(bytes, (one) => one.toString(16).padStart(2, "0")).join("");

export function bytesOf(hex: string): Uint8Array<ArrayBuffer> {
  return Uint8Array.from(hex.match(/../g) ?? [], (pair) => Number.parseInt(pair, 16));
}

async function sha256(...parts: Uint8Array[]): Promise<Uint8Array<ArrayBuffer>> {
  const whole = new Uint8Array(parts.reduce((sum, one) => sum + one.length, 0));
  let at = 0;
  for (const one of parts) {
    whole.set(one, at);
    at += one.length;
  }
  return new Uint8Array(await crypto.subtle.digest("SHA-256", whole));
}

/** The canonical text of a leaf (RFC 8785): its numbers are whole, and names sort by UTF-16 as JavaScript does. */
export function canonical(value: Json): string {
  if (Array.isArray(value)) return `[${value.map(canonical).join(",")}]`;
  if (!isObject(value)) return writeJson(value);
  const members = Object.keys(value).sort();
  return `{${members.map((name) => `${JSON.stringify(name)}:${canonical(value[name] ?? null)}`).join(",")}}`;
}

export const leafHash = (text: string): Promise<Uint8Array<ArrayBuffer>> => sha256(Uint8Array.of(0), encoder.encode(text));

/** Whether a path leads from a leaf to the root of a tree (RFC 9162 section 2.1.3.2); `leaf` counts from 0. */
export async function includes(leaf: number, hash: string, size: number, path: string[], root: string): Promise<boolean> {
  if (leaf < 0 || leaf >= size) return false;
  let place = leaf;
  let last = size - 1;
  let found = bytesOf(hash);
  for (const step of path.map(bytesOf)) {
    if (last === 0) return false;
    if (place % 2 === 1 || place === last) {
      found = await sha256(Uint8Array.of(1), step, found);
      while (place !== 0 && place % 2 === 0) {
        place = Math.floor(place / 2);
        last = Math.floor(last / 2);
      }
    } else found = await sha256(Uint8Array.of(1), found, step);
    place = Math.floor(place / 2);
    last = Math.floor(last / 2);
  }
  return last === 0 && hexOf(found) === root;
}

function fromBase64(text: string): Uint8Array<ArrayBuffer> {
  const plain = atob(text.replaceAll("-", "+").replaceAll("_", "/"));
  return Uint8Array.from(plain, (one) => one.charCodeAt(0));
}

/** Whether the head was signed by one of the keys, and says the same; null where this browser cannot tell. */
async function signed(file: EvidenceFile): Promise<boolean | null> {
  const [header = "", body = "", signature = ""] = file.head.signed.split(".");
  const decoder = new TextDecoder();
  const named = JSON.parse(decoder.decode(fromBase64(header))) as { kid?: string };
  const content = JSON.parse(decoder.decode(fromBase64(body))) as { size?: number; root?: string };
  if (content.size !== file.head.size || content.root !== file.head.root) return false;
  const key = file.keys.keys.find((one) => isObject(one) && one["kid"] === named.kid);
  if (key === undefined) return false;
  let known: CryptoKey;
  try {
    const { kty, crv, x } = key as { kty: string; crv: string; x: string };
    known = await crypto.subtle.importKey("jwk", { kty, crv, x }, { name: "Ed25519" }, false, ["verify"]);
  } catch {
    return null;
  }
  return crypto.subtle.verify({ name: "Ed25519" }, known, fromBase64(signature), encoder.encode(`${header}.${body}`));
}

/** Whether what opens the seals of an entry is what they were made of. */
async function opens({ leaf, opened }: Proven): Promise<boolean> {
  const sealed = isObject(leaf) && isObject(leaf["sealed"]) ? leaf["sealed"] : {};
  for (const [name, sides] of Object.entries(opened)) {
    const hashes = sealed[name];
    for (const [side, one] of (Array.isArray(sides) ? sides : []).entries()) {
      if (!isObject(one)) continue;
      const salt = typeof one["salt"] === "string" ? one["salt"] : "";
      const hash = await sha256(bytesOf(salt), encoder.encode(canonical(one["value"] ?? null)));
      if (!Array.isArray(hashes) || hashes[side] !== hexOf(hash)) return false;
    }
  }
  return true;
}

/** Why entries are not those of the record, or not all of them one after the other. */
function strangers({ id, entries }: EvidenceFile): string[] {
  const words: string[] = [];
  let begins: number | undefined;
  entries.forEach(({ sequence, leaf }, place) => {
    if (!isObject(leaf)) return;
    const first = Number(leaf["version"]) - place;
    if (leaf["id"] !== id) words.push(`Entry ${sequence} is of another record.`);
    else if (first !== (begins ?? first)) words.push(`Entries were left out before entry ${sequence}.`);
    begins = first;
  });
  return words;
}

/** What can be said of an evidence file: of every entry, and of the head that they stand under. */
export async function verdictOn(file: EvidenceFile): Promise<Verdict> {
  const words = strangers(file);
  const { size, root, time } = file.head;
  if (size === 0) words.push("The head is of no entries.");
  for (const one of file.entries) {
    if (one.leaf !== null && hexOf(await leafHash(canonical(one.leaf))) !== one.leaf_hash)
      words.push(`Entry ${one.sequence} is not what its hash says.`);
    if (!(await opens(one))) words.push(`A value in entry ${one.sequence} is not what was sealed.`);
    if (one.leaf_hash === null || !(await includes(one.sequence - 1, one.leaf_hash, size, one.path, root)))
      words.push(`Entry ${one.sequence} is not under the head.`);
  }
  const fitting = await signed(file);
  if (fitting === false) words.push("The signature of the head is wrong.");
  const sound = words.length === 0;
  if (fitting === null) words.push("This browser cannot check the signature of the head; all else was checked.");
  return { sound, words, size, time };
}
