"""Nothing hidden can be told from a hash: whoever knows all else of an entry tries every value, and finds none."""

from __future__ import annotations

import json
import sqlite3
from pathlib import Path
from typing import Any

import httpx
import pytest

from fenland.core.history.merkle import leaf_hash, node_hash
from fenland.core.values.canonical import canonical_plain
from fenland.service.service import Service
from support import bearer, workshop_of

KEY = {"type": "string", "required": True, "unique": True, "fixed": True}
DESCRIBED = {
    "jobs": {
        "key": "code", "fields": {"code": KEY, "note": {"type": "string"}, "cost": {"type": "integer", "access": {"read": ["office"]}}},
        "access": {"read": ["everyone"], "create": ["office"], "update": ["office"]},
    },
    "safes": {"key": "code", "fields": {"code": KEY, "cost": {"type": "integer"}}, "access": {"read": ["office"], "create": ["office"]}},
}  # fmt: skip


@pytest.fixture
def house(tmp_path: Path) -> Any:
    with workshop_of(DESCRIBED, tmp_path / "x.db") as (service, http):
        for number in range(5):
            http.post(
                "/v1/records/jobs", json={"code": f"J{number}", "note": "n", "cost": 40 + number}
            ).raise_for_status()
            http.post(
                "/v1/records/safes", json={"code": f"S{number}", "cost": 40 + number}
            ).raise_for_status()
        http.patch("/v1/records/jobs/J1", json={"cost": 57}).raise_for_status()
        yield service, http


def _everything(http: httpx.Client) -> str:
    """All that carl can have of hashes, by every way to see one."""
    carl = bearer("carl")
    size = http.get("/v1/history/head", headers=carl).json()["size"]
    told = [http.get(f"/v1/history/{number}/proof", headers=carl).text for number in range(1, size + 1)]
    told += [http.get(f"/v1/history/consistency?from={older}", headers=carl).text for older in range(1, size)]
    for path in (
        "history/heads",
        "history/head",
        "history",
        "history/activity",
        "records/jobs/J1/history",
        "records/jobs/J1/history/proof",
        "records/jobs/J1/history/evidence",
        "records/jobs/J1",
    ):
        told.append(http.get(f"/v1/{path}", headers=carl).text)
    told += [
        http.get("/v1/history", headers={**carl, "Accept": kind}).text
        for kind in ("application/jsonl", "text/csv")
    ]
    return "\n".join(told)


def _leaves(service: Service) -> list[tuple[dict[str, Any], str]]:
    """Every leaf, as who has the database knows it, and its hash."""
    from fenland.core.history.leaves import leaf_of

    with service.database.reading() as reading:
        entries = service.database.history.following(reading, 0, 100)
        return [
            (json.loads(leaf_of(one)), service.database.history.tree.leaf(reading, one.sequence or 0).hex())
            for one in entries
        ]


def _guessed(leaf: dict[str, Any], told: str, sibling: str) -> list[int]:
    """The costs that fit a hash that was told, of the leaf alone or with its neighbour's."""
    fitting = []
    for cost in range(200):
        tried = {**leaf, "changes": {**leaf["changes"], "cost": [leaf["changes"]["cost"][0], cost]}}
        hashed = leaf_hash(canonical_plain(tried))
        found = [
            hashed,
            *(
                node_hash(one, other)
                for one, other in ((hashed, bytes.fromhex(sibling)), (bytes.fromhex(sibling), hashed))
            ),
        ]
        if any(one.hex() in told for one in found):
            fitting.append(cost)
    return fitting


def test_no_hash_tells_what_is_hidden(house: tuple[Service, httpx.Client]) -> None:
    service, http = house
    told = _everything(http)
    leaves = _leaves(service)
    assert '"path"' in told
    hidden = [(place, leaf) for place, (leaf, _) in enumerate(leaves) if "cost" in leaf["changes"]]
    assert len(hidden) == 11
    for place, leaf in hidden:
        # The attack works for whoever knows the salt, and nobody is shown it.
        sibling = leaves[place ^ 1][1] if (place ^ 1) < len(leaves) else "00" * 32
        assert _guessed(leaf, "\n".join(hashed for _, hashed in leaves), sibling) == [
            leaf["changes"]["cost"][1]
        ]
        assert leaf["salt"] not in told
        assert _guessed({name: part for name, part in leaf.items() if name != "salt"}, told, sibling) == []


def test_hashes_over_leaves_without_salts_are_kept_from_who_may_not_see_them(tmp_path: Path) -> None:
    """A database of layout 6 that was brought over: its first entries have no salts."""
    path = tmp_path / "x.db"
    with workshop_of(DESCRIBED, path) as (service, http):
        http.post("/v1/records/jobs", json={"code": "J0", "note": "n", "cost": 41}).raise_for_status()
        last = _leaves(service)[-1][0]["sequence"]
    _without_salts(path, last)
    with workshop_of(DESCRIBED, path, history_auditors=["office"]) as (service, http):
        http.post("/v1/records/jobs", json={"code": "J1", "note": "n", "cost": 42}).raise_for_status()
        told = _everything(http)
        leaves = _leaves(service)
        leaf = next(leaf for leaf, _ in leaves if "cost" in leaf["changes"])
        assert "salt" not in leaf
        assert _guessed(leaf, "\n".join(hashed for _, hashed in leaves), "00" * 32) == [41]
        for place in (leaf["sequence"] - 2, leaf["sequence"]):
            assert _guessed(leaf, told, leaves[place][1]) == []
        refused = http.get(f"/v1/history/{leaf['sequence']}/proof", headers=bearer("carl"))
        assert (refused.status_code, "salts" in refused.json()["detail"]) == (403, True)
        assert http.get("/v1/records/jobs/J1/history/evidence", headers=bearer("carl")).status_code == 403
        # Auditors have them.
        assert http.get(f"/v1/history/{leaf['sequence']}/proof").json()["leaf_hash"]
        assert http.get("/v1/history/consistency?from=2").status_code == 200
        assert http.get("/v1/records/jobs/J1/history/evidence").status_code == 200


def _without_salts(path: Path, last: int) -> None:
    """Makes a database what one of layout 6 is once it was brought over: leaves and nodes without salts."""
    from fenland.core.history.merkle import completed
    from fenland.storage.door import audited
    from fenland.storage.sqlite.engine import guards

    raw = sqlite3.connect(path)
    for name in guards("fenland_history"):
        raw.execute(f"DROP TRIGGER {name}")
    raw.execute("UPDATE fenland_history SET salt = NULL")
    raw.execute("INSERT INTO fenland_meta (name, value) VALUES ('unsalted', ?)", [str(last)])
    raw.commit()
    nodes: list[list[bytes]] = []
    with audited(path) as base:
        for row in base.rows():
            nodes.append(
                completed(
                    len(nodes), row.leaf(), lambda level, place: nodes[((place + 1) << level) - 1][level]
                )
            )
    raw.executemany(
        "UPDATE fenland_history SET nodes = ? WHERE sequence = ?",
        [(b"".join(one), number) for number, one in enumerate(nodes, 1)],
    )
    for text in guards("fenland_history").values():
        raw.execute(text)
    raw.commit()
    raw.close()
