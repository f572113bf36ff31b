import { expect, test } from "vitest";
import type { Imported } from "../../api/files";
import { ExactNumber } from "../../lib/json";
import { refusedFile } from "./refused";

type Problem = Imported["problems"][number];
const problem = (row: number, cells: Problem["cells"]): Problem => ({ row, cells, detail: 'Not "so"', errors: [] });
const columns = ["_row", "code", "note"].map((column) => ({ column, field: null }));

test.each([
  [{ code: "A1", note: "x" }, '2,A1,x,"Not ""so"""'],
  [{ code: "=1+1", note: "a,b\nc" }, '2,\'=1+1,"a,b\nc","Not ""so"""'],
  [{ code: "'-x", note: null, _row: "7" }, '2,\'\'-x,,"Not ""so"""'],
  [{ code: new ExactNumber("1.50") }, '2,1.50,,"Not ""so"""'],
])("a refused row is written as it was sent, with why", async (cells, line) => {
  const file = refusedFile({ columns, problems: [problem(2, cells)] }, "csv");
  expect(await file?.text()).toBe(`_row,code,note,_reason\r\n${line}\r\n`);
});

test("rows of JSON Lines stay JSON, digit by digit, and what is not known is left out", async () => {
  const problems = [problem(1, { code: "A1", cost: new ExactNumber("0.10") }), problem(2, null)];
  expect(await refusedFile({ columns, problems }, "jsonl")?.text()).toBe(
    '{"_row":1,"code":"A1","cost":0.10,"_reason":"Not \\"so\\""}\n',
  );
  expect(refusedFile({ columns, problems: problems.slice(1) }, "csv")).toBeNull();
});
