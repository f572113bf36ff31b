import { afterEach, beforeEach, expect, it, vi } from "vitest";
import { ask, csrf, whenSignedOut } from "./http";

vi.mock("./base", () => ({ basePath: "" }));

const answers: (() => Response)[] = [];
const refused = () => Response.json({ detail: "Sign in." }, { status: 401 });
const given = () => Response.json({ items: [] });

beforeEach(() => {
  vi.stubGlobal("sessionStorage", { getItem: () => null });
  vi.stubGlobal("fetch", () => Promise.resolve((answers.shift() ?? refused)()));
  csrf.set("one");
});
afterEach(() => {
  answers.length = 0;
  whenSignedOut.set(null);
});

const asked = () => ask("/v1/schemas", "get");

it.each([
  ["before its refusal came", () => csrf.set("two"), false],
  ["while that is looked at", () => undefined, true],
])("a request is sent again where the session was renewed %s", async (_, meanwhile, late) => {
  whenSignedOut.set(() => {
    if (late) csrf.set("two");
    return Promise.resolve(false);
  });
  answers.push(() => {
    meanwhile();
    return refused();
  }, given);
  await expect(asked()).resolves.toEqual({ items: [] });
});

it("nothing that one has asked for is sent as another", async () => {
  whenSignedOut.set(() => Promise.resolve(false));
  answers.push(() => {
    csrf.set(null);
    csrf.set("of another");
    return refused();
  }, given);
  await expect(asked()).rejects.toMatchObject({ status: 401 });
});

it("a refusal in a session that goes on is one", async () => {
  whenSignedOut.set(() => Promise.resolve(false));
  answers.push(refused, given);
  await expect(asked()).rejects.toMatchObject({ status: 401 });
});
