"""The OpenAPI document is good for generators: what they make of it compiles strictly and does its work."""

from __future__ import annotations

import json
import os
import subprocess
import sys
from pathlib import Path
from typing import Any

import httpx
import pytest

from fenland.web.http.body import MEDIA
from support import Running

ROOT = Path(__file__).parent.parent
PYTHON_PROGRAM = '''
import sys

from made.api.default import batch
from made.api.tickets import list_work_ticket, read_work_ticket, update_work_ticket
from made.client import AuthenticatedClient
from made.models import (
    Batch, BatchResults, BatchUpdate, BatchUpdateAction, BatchUpdateFields, Conflict, Invalid, WorkTicket, WorkTicketPage, WorkTicketPatch,
)

client = AuthenticatedClient(base_url=sys.argv[1], token="sample-office")
page = list_work_ticket.sync(client=client, limit=3, sort="number")
assert isinstance(page, WorkTicketPage) and len(page.items) == 3
key = page.items[0].number
ticket = read_work_ticket.sync(key, client=client)
assert isinstance(ticket, WorkTicket)
hours = 7.25 if ticket.hours != 7.25 else 8.5
saved = update_work_ticket.sync(key, client=client, body=WorkTicketPatch(hours=hours))
assert isinstance(saved, WorkTicket) and saved.hours == hours and saved.title == ticket.title and saved.state == ticket.state
assert WorkTicketPatch(hours=hours).to_dict() == {"hours": hours}
clash = update_work_ticket.sync(key, client=client, body=WorkTicketPatch(hours=1.5), base=str(ticket.version))
assert isinstance(clash, Conflict) and isinstance(clash.conflicts, list) and clash.conflicts[0].pointer == "/hours"
wrong = update_work_ticket.sync(key, client=client, body=WorkTicketPatch(hours=-1.0, title=""))
assert isinstance(wrong, Invalid) and isinstance(wrong.errors, list)
assert {one.pointer for one in wrong.errors} == {"/hours", "/title"}
item = BatchUpdate(action=BatchUpdateAction.UPDATE, collection="tickets", key=key, fields=BatchUpdateFields.from_dict({"hours": 2.5}))
done = batch.sync(client=client, body=Batch(items=[item]))
assert isinstance(done, BatchResults) and done.done and done.results[0].status == 200
print("done")
'''  # fmt: skip
#: Calls every operation there is, and prints what it came to. What would harm the sample is asked of what is not there.
EVERY_OPERATION = """
import enum, importlib, inspect, io, json, pkgutil, sys

import made.api
from made.client import AuthenticatedClient
from made.types import File

client = AuthenticatedClient(base_url=sys.argv[1], token="sample-office")
keys = {"_inspection": 17, "_landholder": "L0300", "_station": "PS-090", "_watercourse": "W06", "_work_ticket": "T-0300",
        "_duty": "PS-090-keys", "_template": "keys", "_picture": "sluice-1.svg",
        "_view": "00000000-0000-7000-8000-000000000000"}
given_always = {"sequence": 5, "from_": 1, "collection": "stations", "field": "status", "name": "marta.quill", "id": "unknown",
                "preview": True, "where": "false", "expect": 0, "subscription": "board", "number": 1}
bodies = {
    "add_account": {"name": "marta.quill"}, "add_subscription": {"name": "board", "url": "https://board.example/in"},
    "resend_since": {"since": "2031-04-09T12:00:00Z"}, "change_account": {"title": "Marta Quill"}, "issue_token": {"name": ""},
    "begin_session": {"name": "nobody", "password": "nothing at all"}, "change_password": {"current": "x", "new": "y"},
    "batch": {"items": [{"action": "update", "collection": "watercourses", "key": "W06", "fields": {}}]},
    "make_pass": {"collection": "stations", "template": "public"},
    "write_letters": {"collection": "landholders", "template": "own_details", "where": "false"},
    **dict.fromkeys(("apply_proposals", "refuse_proposals", "withdraw_proposals"), {"proposals": [1], "reason": "none such"}),
    "refuse_proposal": {"reason": "none such"},
    "undo_many": {"batch": "00000000-0000-7000-8000-000000000000"},
}
harmful = ("delete_", "erase_", "replace_", "put_")
making = ("create_", "replace_", "put_")
visitor = AuthenticatedClient(base_url=sys.argv[1], token="sample-visitor")

def kinds(annotation):
    return [one for one in getattr(annotation, "__args__", (annotation,)) if inspect.isclass(one)]

def argument(operation, one):
    needed, classes = one.default is inspect.Parameter.empty, kinds(one.annotation)
    if one.name == "client":
        return visitor if operation.startswith(making) else client
    if one.name == "body" and operation.startswith(making):
        # Asked by somebody who may not: what is sent is not looked at.
        return inspect.Parameter.empty
    if one.name == "body":
        if operation.startswith("import_"):
            return File(payload=io.BytesIO(b"number,name"), mime_type="application/octet-stream")
        lists = [kind for kind in classes if not hasattr(kind, "from_dict")]
        made_of = {"fields": ["phone"], "reason": "asked"} if operation.startswith("erase_") else bodies.get(operation, {})
        made_of = {"window": "w", "doing": "gone"} if operation.startswith("meet_") else made_of
        made_of = {"minutes": 1} if operation == "inspect_requests" else made_of
        whole = [kind for kind in classes if kind not in lists]
        return next((kind for kind in whole if kind.__name__.endswith("Patch")), whole[0]).from_dict(made_of)
    if one.name in ("key", "value") and needed:
        if "_by_email" in operation:
            return "nobody@nowhere.example"
        key = next(key for name, key in keys.items() if name in operation)
        return key if not operation.startswith(harmful) else 99999 if isinstance(key, int) else "none"
    if one.name == "as_":
        return list(next(kind for kind in classes if issubclass(kind, enum.Enum)))[0]
    if one.name == "mode" and operation.startswith("import_view"):
        # Nothing but its id tells one from another, so rows can only be new ones.
        return next(kind for kind in classes if issubclass(kind, enum.Enum))("create")
    many = "_many" in operation or operation.startswith(("import_", "restore_", "undo"))
    return given_always[one.name] if needed or (many and one.name in ("preview", "where", "expect")) else inspect.Parameter.empty

found = {}
for package in pkgutil.iter_modules(made.api.__path__):
    inside = importlib.import_module("made.api." + package.name)
    for module in pkgutil.iter_modules(inside.__path__):
        call = importlib.import_module(f"made.api.{package.name}.{module.name}").sync_detailed
        chosen = {one.name: argument(module.name, one) for one in inspect.signature(call).parameters.values()}
        answer = call(**{name: value for name, value in chosen.items() if value is not inspect.Parameter.empty})
        found[module.name] = [answer.status_code.value, type(answer.parsed).__name__]
print(json.dumps(found))
"""
TYPESCRIPT_PROGRAM = """
import type { components, paths } from "./made";

declare const process: { argv: string[] };

type Ticket = components["schemas"]["WorkTicket"];
type Patch = components["schemas"]["WorkTicketPatch"];
const [address] = process.argv.slice(2);

async function ask<Answer>(method: string, path: string, body?: unknown): Promise<[number, Answer]> {
  const headers = { Authorization: "Bearer sample-office", "Content-Type": "application/json" };
  const init = body === undefined ? { method, headers } : { method, headers, body: JSON.stringify(body) };
  const answer = await fetch(`${address}${path}`, init);
  return [answer.status, (await answer.json()) as Answer];
}
function sure(holds: boolean, what: string): void {
  if (!holds) throw new Error(what);
}
type Listed = paths["/v1/records/tickets"]["get"]["responses"]["200"]["content"]["application/json"];
type Clash = paths["/v1/records/tickets/{key}"]["patch"]["responses"]["409"]["content"]["application/problem+json"];
type Wrong = paths["/v1/records/tickets/{key}"]["patch"]["responses"]["422"]["content"]["application/problem+json"];

async function main(): Promise<void> {
  const [, page] = await ask<Listed>("GET", "/v1/records/tickets?limit=2&sort=-number");
  const first: Ticket | undefined = page.items[0];
  if (first === undefined) throw new Error("no tickets");
  const at = `/v1/records/tickets/${first.number}`;
  const patch: Patch = { hours: first.hours === 3.25 ? 3.5 : 3.25 };
  const [status, saved] = await ask<Ticket>("PATCH", at, patch);
  sure(status === 200 && saved.hours === patch.hours && saved.title === first.title, "change");
  const [, clash] = await ask<Clash>("PATCH", `${at}?base=${first.version}`, { hours: 1 } satisfies Patch);
  sure(clash.status === 409 && clash.conflicts?.[0]?.pointer === "/hours", "conflict");
  const [, wrong] = await ask<Wrong>("PATCH", at, { hours: -1 } satisfies Patch);
  sure(wrong.status === 422 && wrong.errors?.[0]?.code === "minimum", "invalid");
  const items: components["schemas"]["Batch"]["items"] = [{ action: "update", collection: "tickets", key: first.number, fields: { hours: 2 } }];
  const [, results] = await ask<components["schemas"]["BatchResults"]>("POST", "/v1/batch", { items });
  sure(results.done && results.results[0]?.status === 200, "batch");
  console.log("done");
}
void main();
"""


@pytest.fixture(scope="module")
def document(sample: Running, tmp_path_factory: pytest.TempPathFactory) -> Path:
    path = tmp_path_factory.mktemp("document") / "openapi.json"
    path.write_bytes(httpx.get(f"{sample.address}/v1/openapi.json").content)
    return path


def _run(*command: str, cwd: Path) -> str:
    done = subprocess.run(command, cwd=cwd, capture_output=True, text=True, timeout=200)
    assert done.returncode == 0, done.stdout[-3000:] + done.stderr[-3000:]
    return done.stdout + done.stderr


@pytest.fixture(scope="module")
def made(document: Path, tmp_path_factory: pytest.TempPathFactory) -> Path:
    """A folder with a Python client made of the document."""
    tmp_path = tmp_path_factory.mktemp("made")
    generator = str(ROOT / ".venv-codegen" / "bin" / "openapi-python-client")
    # The generator knows files by one media type alone, and is told that these are files.
    files = dict.fromkeys(MEDIA, "application/octet-stream")
    (tmp_path / "config.json").write_text(json.dumps({"content_type_overrides": files}))
    told = _run(
        generator, "generate", "--path", str(document), "--output-path", str(tmp_path / "made"), "--meta", "none", "--config", "config.json", cwd=tmp_path
    )  # fmt: skip
    assert "WARNING" not in told
    return tmp_path


def test_a_python_client_made_of_the_document_works(sample: Running, made: Path) -> None:
    tmp_path = made
    (tmp_path / "program.py").write_text(PYTHON_PROGRAM)
    python = str(ROOT / ".venv-codegen" / "bin" / "python")
    _run(sys.executable, "-m", "mypy", "--strict", "--python-executable", python, "--cache-dir", str(tmp_path / "cache"), "program.py", cwd=tmp_path)  # fmt: skip
    assert "done" in _run(python, "program.py", sample.address, cwd=tmp_path)


def test_every_operation_of_the_python_client_reads_what_it_is_answered(
    sample: Running, document: Path, made: Path
) -> None:
    (made / "every.py").write_text(EVERY_OPERATION)
    python = str(ROOT / ".venv-codegen" / "bin" / "python")
    found = json.loads(_run(python, "every.py", sample.address, cwd=made))
    described = json.loads(document.read_text())["paths"].values()
    operations = [
        one[verb]["operationId"]
        for one in described
        for verb in one.keys() & {"get", "post", "put", "patch", "delete"}
    ]
    assert len(found) == len(operations) > 100
    unread = {name: told for name, told in found.items() if told[1] == "NoneType" and told[0] != 204}
    assert unread == {}
    # What was answered is what was asked for, but for what is not there and what may not be.
    assert {name: told for name, told in found.items() if told[0] == 400} == {}
    assert {told[0] for told in found.values()} <= {200, 201, 202, 204, 401, 403, 404, 409, 415, 422}
    assert sum(told[0] in (200, 204) for told in found.values()) > 60


def test_a_typescript_client_made_of_the_document_works(
    sample: Running, document: Path, tmp_path: Path
) -> None:
    bin_folder = ROOT / "console" / "node_modules" / ".bin"
    _run(
        str(bin_folder / "openapi-typescript"), str(document), "-o", str(tmp_path / "made.d.ts"), cwd=tmp_path
    )
    (tmp_path / "program.ts").write_text(TYPESCRIPT_PROGRAM)
    (tmp_path / "package.json").write_text('{"type": "commonjs"}')
    os.symlink(ROOT / "console" / "node_modules", tmp_path / "node_modules")
    options = {"strict": True, "noUncheckedIndexedAccess": True, "exactOptionalPropertyTypes": True, "target": "es2022", "module": "commonjs",
               "lib": ["es2023", "dom"], "types": [], "skipLibCheck": False}  # fmt: skip
    (tmp_path / "tsconfig.json").write_text(json.dumps({"compilerOptions": options, "files": ["program.ts"]}))
    _run(str(bin_folder / "tsc"), "-p", ".", cwd=tmp_path)
    assert "done" in _run("node", "program.js", sample.address, cwd=tmp_path)


def test_every_operation_says_what_it_does_and_patches_hold_no_defaults(document: Path) -> None:
    described = json.loads(document.read_text())
    for path, item in described["paths"].items():
        for method in item.keys() & {"get", "post", "put", "patch", "delete"}:
            operation = item[method]
            assert operation["summary"] and operation["description"], (path, method)
            assert {"500", "503"} <= operation["responses"].keys() or path == "/healthz"
    schemas = described["components"]["schemas"]
    for name in schemas:
        if name.endswith("Patch") and name != "JsonPatch":
            assert '"default"' not in json.dumps(schemas[name])
            assert '"required"' not in json.dumps(schemas[name])
    assert schemas["WorkTicketPatch"]["properties"]["parts"]["items"]["type"] == "string"
    key = described["paths"]["/v1/records/inspections/{key}"]["parameters"][0]
    assert key["schema"] == {"type": "integer"}


#: Keywords that only one of the versions knows.
NEWER = {"const", "examples", "$defs", "propertyNames", "prefixItems", "if"}
ASKED = [
    {"collection": one, "openapi": version, "flat": flat}
    for one in ("tickets", "stations", "views", None)
    for version in ("3.0", "3.1")
    for flat in ("true", "false")
    if one is not None or flat == "false"
]


@pytest.mark.parametrize("asked", ASKED, ids=lambda one: "-".join(str(value) for value in one.values()))
def test_a_simpler_document_is_whole_and_speaks_its_version(
    sample: Running, asked: dict[str, str | None]
) -> None:
    params = {name: value for name, value in asked.items() if value is not None}
    found = httpx.get(f"{sample.address}/v1/openapi.json", params=params).json()
    assert found["openapi"].startswith(str(asked["openapi"]))
    if asked["collection"]:
        assert f"/v1/records/{asked['collection']}/{{key}}" in found["paths"]
        assert not any("watercourses" in path for path in found["paths"])
    referred = set()

    def schema(node: Any) -> None:
        if asked["openapi"] == "3.0":
            assert isinstance(node, dict)
            assert not node.keys() & NEWER
            assert isinstance(node.get("type", ""), str)
            assert node.get("required") != []
            assert "$ref" not in node or len(node) == 1
        if not isinstance(node, dict):
            return
        for name, one in node.items():
            if name == "$ref":
                referred.add(one)
            elif name == "properties":
                for each in one.values():
                    schema(each)
            elif name in ("items", "not"):
                schema(one)
            elif name in ("allOf", "anyOf", "oneOf"):
                for each in one:
                    schema(each)

    def walk(node: Any) -> None:
        if isinstance(node, list):
            for one in node:
                walk(one)
        elif isinstance(node, dict):
            for name, one in node.items():
                if name == "schema":
                    schema(one)
                elif name == "$ref":
                    referred.add(one)
                else:
                    walk(one)

    walk(found["paths"])
    for kind, named in found["components"].items():
        for one in named.values():
            (schema if kind == "schemas" else walk)(one)
    if asked["flat"] == "true":
        assert referred == set()
    there = {f"#/components/{kind}/{name}" for kind, named in found["components"].items() for name in named}
    assert referred <= there
    if asked["collection"]:
        assert len(there) < 120


def test_importers_take_the_simplest_document(sample: Running, tmp_path: Path) -> None:
    asked = {"collection": "tickets", "openapi": "3.0", "flat": "true"}
    document = tmp_path / "openapi.json"
    document.write_bytes(httpx.get(f"{sample.address}/v1/openapi.json", params=asked).content)
    generator = str(ROOT / ".venv-codegen" / "bin" / "openapi-python-client")
    files = dict.fromkeys(MEDIA, "application/octet-stream")
    (tmp_path / "config.json").write_text(json.dumps({"content_type_overrides": files}))
    _run(generator, "generate", "--path", str(document), "--output-path", str(tmp_path / "made"), "--meta", "none", "--config", "config.json", cwd=tmp_path)  # fmt: skip
    (tmp_path / "program.py").write_text(
        """
import sys
from made import AuthenticatedClient
from made.api.tickets import list_work_ticket

client = AuthenticatedClient(base_url=sys.argv[1], token="sample-office")
page = list_work_ticket.sync(client=client, limit=2)
print(len(page.items), page.items[0].number)
"""
    )
    told = _run(str(ROOT / ".venv-codegen" / "bin" / "python"), "program.py", sample.address, cwd=tmp_path)
    assert told.startswith("2 T-")
    types = ROOT / "console" / "node_modules" / ".bin" / "openapi-typescript"
    _run(str(types), str(document), "-o", str(tmp_path / "made.d.ts"), cwd=tmp_path)
    assert "list" in (tmp_path / "made.d.ts").read_text()
    refused = httpx.get(f"{sample.address}/v1/openapi.json?flat=true")
    assert refused.status_code == 400
    assert httpx.get(f"{sample.address}/v1/openapi.json?collection=nothing").status_code == 404
