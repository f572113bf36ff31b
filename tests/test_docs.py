"""The pages say what is so: the tables of docs/updates.md are run, and every code has its heading."""

from __future__ import annotations

import ast
import io
import json
import re
from collections.abc import Iterator
from datetime import UTC, datetime
from decimal import Decimal
from pathlib import Path
from typing import Any, get_args

import httpx
import pytest
from ruamel.yaml import YAML

from fenland.client.errors import BY_STATUS
from fenland.core.access.field_access import PROTECTIONS
from fenland.core.access.policy import Actor, Caller, Policy, Sight
from fenland.core.changes.rules import Rules
from fenland.core.definitions.constraints import CONSTRAINTS
from fenland.core.definitions.reading import definitions_from
from fenland.core.expressions import EvaluationError, as_json, evaluate
from fenland.core.history.auditing import Kind
from fenland.core.limits import DEFAULTS
from fenland.core.problems import REFUSALS, Refusal
from fenland.service.accounts.accounts import NewAccount, add_account
from fenland.service.accounts.tokens import NewToken, issue_token
from fenland.service.opening import open_service
from fenland.service.project import read_source
from fenland.service.settings import Settings
from fenland.web.document import document
from fenland.web.serving.app import create_app

ROOT = Path(__file__).parents[1]
PAGE = (ROOT / "docs" / "updates.md").read_text()

_CASES = re.compile(
    r"<!-- (?P<method>\w+) (?P<kind>\S+) ?(?P<query>\S*) -->\n\|.*\n\|-.*\n(?P<rows>(?:\|.*\n)+)"
)
_CELL = re.compile(r"`([^`]*)`")


def _rows() -> Iterator[Any]:
    for table in _CASES.finditer(PAGE):
        for row in table["rows"].splitlines():
            stored, sent, then = row.strip("| ").split(" | ")
            title = f"{table['kind']} {table['query']} {sent}"
            yield pytest.param(table["method"], table["kind"], table["query"], stored, sent, then, id=title)


ROWS = list(_rows())


@pytest.fixture(scope="module")
def visits(tmp_path_factory: pytest.TempPathFactory) -> Iterator[httpx.Client]:
    text = PAGE.split("```yaml\n")[1].split("```")[0]
    described = YAML(typ="safe").load(io.StringIO(text))
    described["fields"]["level"]["multipleOf"] = Decimal("0.01")
    definitions = definitions_from({"visits": described})
    service = open_service(definitions, tmp_path_factory.mktemp("visits") / "visits.db")
    for name in ("ada", "ben"):
        add_account(service, NewAccount(name))
        issue_token(service, name, NewToken(secret=f"token-{name}"))
    transport = httpx.WSGITransport(create_app(service, Settings()))
    headers = {"Authorization": "Bearer token-ada"}
    with httpx.Client(transport=transport, base_url="http://visits", headers=headers) as client:
        yield client
    service.close()


def _exact(text: str) -> Any:
    return json.loads(text, parse_float=Decimal)


@pytest.mark.parametrize(("method", "kind", "query", "stored", "sent", "then"), ROWS)
def test_a_row_of_the_page_on_updates(
    visits: httpx.Client, method: str, kind: str, query: str, stored: str, sent: str, then: str
) -> None:
    visits.delete("/v1/records/visits/7")
    before = _exact(_CELL.findall(stored)[0])
    given = {"number": 7, "title": "Weir", **before}
    for name in ("version", "crew"):
        given.pop(name, None)
    made = visits.post(
        "/v1/records/visits",
        content=json.dumps(given, default=float),
        headers={"Content-Type": "application/json"},
    )
    assert made.status_code == 201, made.text
    assert before.items() <= _exact(made.text).items()
    body = _CELL.findall(sent)[0]
    answer = visits.request(
        method, f"/v1/records/visits/7{query}", content=body, headers={"Content-Type": kind}
    )
    now = visits.get("/v1/records/visits/7")
    if then.startswith("`"):
        assert answer.status_code == 200, answer.text
        assert _exact(_CELL.findall(then)[0]).items() <= _exact(now.text).items()
        assert answer.content == now.content
        # Decimals are answered with all the digits of their field, so they are compared as text too.
        for number in re.findall(r'"level": ([0-9.]+)', then):
            assert f'"level":{number}' in now.text
    else:
        assert answer.status_code == int(then[:3])
        told = [f"{one['code']} {one['pointer']}" for one in answer.json().get("errors", ())]
        assert told == _CELL.findall(then)
        assert now.content == made.content


def test_the_page_has_every_kind_of_case() -> None:
    assert len(ROWS) > 65
    assert {row.values[1] for row in ROWS} >= {
        "application/merge-patch+json",
        "application/json-patch+json",
        "application/vnd.fenland.edits+json",
        "application/x-www-form-urlencoded",
    }


LANGUAGE = (ROOT / "docs" / "language.md").read_text()


@pytest.mark.parametrize(
    ("expression", "gives"), re.findall(r"^\| `(.+)` \| (`.+`|no value) \|$", LANGUAGE, re.MULTILINE)
)
def test_the_page_of_the_language_says_what_is_so(expression: str, gives: str) -> None:
    bindings = json.loads(re.findall(r"```json\n(.+?)```", LANGUAGE, re.DOTALL)[0])
    text = expression.replace("\\|", "|")
    if gives == "no value":
        with pytest.raises(EvaluationError):
            evaluate(text, bindings)
    else:
        assert json.dumps(as_json(evaluate(text, bindings))) == gives.strip("`")


def _sections(page: str) -> dict[str, str]:
    """The text under each heading that is a code."""
    parts = re.split(r"^### `(.+)`$", (ROOT / "docs" / page).read_text(), flags=re.MULTILINE)
    return dict(zip(parts[1::2], parts[2::2], strict=True))


def _snake(name: str) -> str:
    return re.sub(r"([A-Z])", lambda found: "_" + found[1].lower(), name)


def test_every_code_has_its_heading() -> None:
    sources = "".join(path.read_text() for path in (ROOT / "src" / "fenland").rglob("*.py"))
    # A code stands before its sentence: a capital letter begins that.
    codes = set(re.findall(r'"([a-z_]+)", f?"(?:Must|Is|Item|Another|Holds)\b', sources))
    codes |= set(re.findall(r'Problem\([^"()]*"([a-z_]+)"', sources))
    codes |= {_snake(name) for name in CONSTRAINTS} | PROTECTIONS.keys() | REFUSALS.keys()
    headings = _sections("errors.md").keys()
    assert codes <= headings, codes - headings
    assert headings <= codes | _SAID_OTHERWISE, headings - codes


#: Codes whose sentence is put together elsewhere than beside them.
_SAID_OTHERWISE = {
    "consequence",
    "address",
    "check",
    "length",
    "type",
    "reference",
    "server_kept",
    "unknown_field",
    "unknown_property",
    "key_characters",
    "not_sensitive",
    "not_required",
    "reason",
}


@pytest.mark.parametrize("kind", REFUSALS.values(), ids=REFUSALS)
def test_a_problem_is_described_as_it_is(kind: type[Refusal]) -> None:
    section = _sections("errors.md")[kind.code]
    assert section.strip().startswith(f"{kind.status}. ")
    for name in kind.parameters:
        assert f"`{name}`" in section
    # What a client meets in the way of its work has an error of its own in the Python client.
    told = {401, 403, 404, 409, 412, 422, 428}
    assert (kind.status in told) == (kind.status in BY_STATUS)


def test_problems_carry_what_they_declare_and_nothing_else() -> None:
    for path in (ROOT / "src" / "fenland").rglob("*.py"):
        for node in ast.walk(ast.parse(path.read_text())):
            name = getattr(getattr(node, "func", None), "id", None)
            kind = next((one for one in REFUSALS.values() if one.__name__ == name), None)
            if isinstance(node, ast.Call) and kind is not None:
                given = {one.arg for one in node.keywords if one.arg is not None}
                assert given <= {*kind.parameters, "headers"}, f"{path.name}:{node.lineno}"


def test_every_kind_of_fault_is_described() -> None:
    page = (ROOT / "docs" / "verifying.md").read_text()
    assert set(re.findall(r"^\| `([a-z]+)` \|", page, re.MULTILINE)) == set(get_args(Kind))


def test_links_between_pages_lead_somewhere() -> None:
    pages = [ROOT / "README.md", ROOT / "CONTRIBUTING.md", *(ROOT / "docs").rglob("*.md")]
    for page in pages:
        for link in re.findall(r"\]\(([^)#:]+)(?:#[^)]*)?\)", page.read_text()):
            assert (page.parent / link).exists(), f"{page.name}: {link}"


# --- docs/access.md: each block of rules, with the rows under it ----------------------------------------

_RIGHT = re.compile(r"`(?P<right>\w+)(?: (?P<field>\w+))?`(?: to `(?P<next>.*)`)?")
SITES = {"PS-1": {"area": "north", "keeper": "ada"}, "PS-2": {"area": "south", "keeper": "ben"}}
BASE: dict[str, Any] = {
    "stations": {"key": "code", "fields": {"code": {"type": "string", "required": True, "unique": True, "fixed": True}, "area": {"type": "string"}, "keeper": {"type": "string"}}},
    "tickets": {"owner": "assignee", "fields": {"state": {"type": "string"}, "hours": {"type": "number", "multipleOf": Decimal("0.25")}, "cost": {"type": "integer"}, "due_on": {"type": "string", "format": "date"}, "assignee": {"type": "string"}, "station": {"references": "stations"}}},
}  # fmt: skip


def _access_rows() -> list[Any]:
    rows = []
    for section in (ROOT / "docs" / "access.md").read_text().split("\n## ")[1:]:
        blocks = re.findall(r"```yaml\n(.*?)```", section, re.DOTALL)
        for line in section.splitlines():
            cells = [cell.strip() for cell in line.strip("|").split(" | ")]
            if blocks and line.startswith("| `"):
                rows.append(pytest.param(blocks[0], *cells, id=f"{section.splitlines()[0][:30]} {line[:60]}"))
    return rows


def test_the_page_on_access_has_enough_cases() -> None:
    assert len(_access_rows()) >= 20


@pytest.mark.parametrize(("block", "who", "does", "with_", "may"), _access_rows())
def test_a_row_of_the_page_on_access(
    tmp_path: Path, block: str, who: str, does: str, with_: str, may: str
) -> None:
    (tmp_path / "x.yaml").write_text(block)
    given = read_source(tmp_path / "x.yaml", "x.yaml").data
    tickets = {**BASE["tickets"], **given}
    tickets["fields"] = {
        name: {**item, **given.get("fields", {}).get(name, {})}
        for name, item in BASE["tickets"]["fields"].items()
    }
    collection = definitions_from({**BASE, "tickets": tickets}, ["office", "crew"]).collections["tickets"]
    told = json.loads(who.strip("`"))
    actor = Actor(told["name"], roles=frozenset(told.get("roles", ())), attributes=told.get("attributes", {}))
    sight = Sight(Caller(actor), datetime(2031, 4, 9, 12, tzinfo=UTC), lambda collection, key: SITES.get(key))
    found = _RIGHT.fullmatch(does)
    assert found is not None, does
    record = {**dict.fromkeys(collection.fields), **json.loads(with_.strip("`"))}
    after = {**record, **json.loads(found["next"] or "{}")}
    assert _found(Policy(collection), sight, found, record, after) == may


def _found(
    policy: Policy, sight: Sight, asked: re.Match[str], record: dict[str, Any], after: dict[str, Any]
) -> str:
    right: Any = asked["right"]
    words = {True: "yes", False: "no"}
    if asked["field"]:
        access = policy.fields(sight, record, creating=right == "create")
        if right == "read":
            return words[asked["field"] not in access.hidden]
        refused = policy.refused(sight, None if right == "create" else record, after, [asked["field"]])
        return words[access.sets(asked["field"]) and not refused]
    before = None if right == "create" else record
    if not policy.may(right, sight, before, after if right in ("create", "update") else None):
        return "no"
    problems = (
        Rules(policy.collection).run_checks(sight.names, after, before, []) if right == "update" else []
    )
    return ", ".join(f"{one.code} {one.pointer}" for one in problems) or "yes"


def test_every_place_that_the_map_names_is_there() -> None:
    text = "\n".join(
        path.read_text()
        for path in [ROOT / "docs" / "architecture.md", *(ROOT / "docs" / "decisions").glob("*.md")]
    )
    named = set(
        re.findall(
            r"`((?:core|storage|service|web|client|cli|demo|console|tests|bench|scripts|app|api)/[\w/.]+)`",
            text,
        )
    )
    roots = (ROOT, ROOT / "src" / "fenland", ROOT / "console" / "src")
    assert len(named) > 60
    assert [one for one in sorted(named) if not any((root / one).exists() for root in roots)] == []


#: Parts of names that say what somebody does with a thing, or how many there are, and are no terms.
_PLAIN = {"create", "update", "delete", "new", "result", "matrix", "many", "json", "issued", "included", "invalid", "referring"}  # fmt: skip


def test_names_in_the_document_are_of_the_words() -> None:
    page = (ROOT / "docs" / "words.md").read_text()
    terms = [one for one in re.findall(r"^\| ([a-z ]+) \|", page, re.MULTILINE) if one != "term"]
    assert len(terms) == len(set(terms))
    words = {word for term in terms for word in term.split()} | _PLAIN
    # In the plural, and as what is done or was, they are still the same words.
    words |= {f"{word}es" for word in words if word.endswith("s")}
    words |= {f"{word}s" for word in words} | {f"{word[:-1]}ies" for word in words if word.endswith("y")}
    words |= {"imported", "undoing", "undone", "proven"}
    names = document(definitions_from({}), "", DEFAULTS)["components"]["schemas"]
    used = {word.lower() for name in names for word in re.findall(r"[A-Z][a-z]+", name)}
    assert used - words == set()
