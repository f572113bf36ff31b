"""Behind the door each engine keeps the same: orders, exact values, what is refused, and what is seen when.

What is asked through HTTP runs on each in test_update, test_records, test_batch and test_patches, and
conditions in test_conditions.
"""

from __future__ import annotations

import itertools
import threading
from collections.abc import Callable
from concurrent.futures import ThreadPoolExecutor
from contextlib import suppress
from dataclasses import replace
from datetime import timedelta
from decimal import Decimal
from typing import Any

import httpx
import pytest
from hypothesis import HealthCheck, given, settings
from hypothesis import strategies as st

from fenland.core.access.field_access import Record
from fenland.core.access.policy import Actor
from fenland.core.history.auditing import TreeAudit
from fenland.core.history.entries import Entry
from fenland.core.history.leaves import leaf_of
from fenland.core.history.merkle import leaf_hash
from fenland.core.problems import NotSignedIn
from fenland.service.accounts.callers import Origin, caller_by_token
from fenland.service.accounts.tokens import NewToken, issue_token, list_tokens, revoke_tokens
from fenland.service.service import Service
from fenland.storage.door import (
    Attempt,
    Delivery,
    Noticed,
    Order,
    Page,
    ReferenceBroken,
    Secret,
    Subscription,
    ValueTaken,
    VersionRace,
)
from support import ATTRIBUTES

ENGINES = ["sqlite", "postgres"]
NOW = "2031-04-09T12:00:00.000001Z"
#: A tool as it is stored, but for its number.
TOOL = dict.fromkeys(
    ("serial", "weight", "spin", "note", "kept", "cleared", "strict", "bought_on", "seen_at", "labels", "maker", "stamped", "secret", "bench")
) | {"name": "Saw", "sharp": False, "holder": "carl"}  # fmt: skip

VALUES: dict[str, st.SearchStrategy[Any]] = {
    "name": st.sampled_from(["Saw", "saw", "Ääx", "zz", "\U0001f40c snail", "\uffff\uffff", "a b"]),
    "weight": st.sampled_from([Decimal("0.01"), Decimal("0.10"), Decimal("92233720368547758.07")]),
    "spin": st.sampled_from([0.0, 0.1, -1.5, 1e300, 5e-324, 2.0**53 + 2]),
    "sharp": st.booleans(),
    "bought_on": st.sampled_from(["0001-01-01", "2031-04-09", "9999-12-31"]),
    "seen_at": st.sampled_from(["0001-01-01T00:00:00.000000Z", NOW, "9999-12-31T23:59:59.999999Z"]),
    "serial": st.none(),
    "note": st.sampled_from(["", "a", "A", "é"]),
    "labels": st.sampled_from([[], ["b", "a"], [""]]),
    "maker": st.sampled_from([{}, {"town": "Ely", "name": None}, {"name": "x\u2028\u0001"}]),
}
NULLABLE = {name: st.none() | values for name, values in VALUES.items()} | {
    name: VALUES[name] for name in ("name", "sharp")
}
STEPS = st.lists(
    st.builds(
        Order,
        st.sampled_from([name for name in VALUES if name not in ("labels", "maker", "serial")]),
        st.booleans(),
    ),
    max_size=2,
    unique_by=lambda one: one.field,
)


def stored(number: int, **fields: Any) -> Record:
    kept = {
        "id": f"00000000-0000-7000-8000-{number:012}",
        "version": 1,
        "created_at": NOW,
        "created_by": "olga",
    }
    return {**kept, "updated_at": NOW, "updated_by": "olga", **TOOL, "code": f"T{number}", **fields}


def sorted_as(records: list[Record], order: tuple[Order, ...]) -> list[Record]:
    """By Python: nothing first going up, last going down."""
    for step in reversed(order):
        records = sorted(records, key=lambda one: (one[step.field] is not None, one[step.field] or 0) if one[step.field] is None else (True, one[step.field]), reverse=step.descending)  # fmt: skip
    return records


@settings(max_examples=40, deadline=None, suppress_health_check=list(HealthCheck))
@given(drawn=st.lists(st.fixed_dictionaries(NULLABLE), min_size=5, max_size=12), steps=STEPS, down=st.booleans(), size=st.integers(1, 4))  # fmt: skip
def test_pages_give_every_record_once_in_order_and_as_it_was_stored(
    service: Service, drawn: list[Record], steps: list[Order], down: bool, size: int
) -> None:
    records = service.resources["tools"].records
    written = [stored(number, **fields) for number, fields in enumerate(drawn)]

    class Undone(Exception):
        pass

    def work(writing: Any) -> None:
        for one in written:
            records.add(writing, one)
        order, after, found = (*steps, Order("id", down)), None, list[Record]()
        for _ in range(len(written) + 1):
            page = Page(order=order, after=after, limit=size)
            shown, more = records.page(writing, page)
            found += shown
            if not more:
                break
            after = tuple(shown[-1][step.field] for step in order)
        assert found == sorted_as(written, order)
        for one in written:
            found_one = records.find(writing, "code", one["code"])
            assert found_one is not None
            # As texts, for 1.10 equals 1.1 and true equals 1.
            assert repr(sorted(found_one.items())) == repr(sorted(one.items()))
        assert records.count(writing, Page()) == len(written)
        raise Undone

    with pytest.raises(Undone):
        service.database.write(work)


def test_what_breaks_a_table_is_told_in_words_of_the_door(service: Service) -> None:
    tools, jobs = service.resources["tools"].records, service.resources["jobs"].records
    job = {name: value for name, value in stored(9).items() if name not in (*TOOL, "code")}
    job |= {"number": 1, "tool": None, "worker": "carl", "parent": None}
    service.database.write(lambda writing: tools.add(writing, stored(1, serial=7)))

    def attempts(writing: Any) -> None:
        for taken, field in ((stored(2, code="T1"), "code"), (stored(2, serial=7), "serial")):
            with pytest.raises(ValueTaken) as found, writing.nested():
                tools.add(writing, taken)
            assert found.value.field == field
        tools.add(writing, stored(2))
        with pytest.raises(ValueTaken), writing.nested():
            tools.change(writing, stored(2)["id"], 1, {"serial": 7, "version": 2})
        for change in (lambda: tools.change(writing, stored(2)["id"], 5, {"version": 6}), lambda: tools.remove(writing, stored(2)["id"], 5)):  # fmt: skip
            with pytest.raises(VersionRace):
                change()

    service.database.write(attempts)
    with pytest.raises(ReferenceBroken):
        service.database.write(lambda writing: jobs.add(writing, job | {"tool": "nowhere"}))
    with service.database.reading() as reading:
        assert [tools.find(reading, "code", f"T{number}") is not None for number in (1, 2, 3)] == [
            True,
            True,
            False,
        ]
        assert jobs.find(reading, "number", 1) is None


def test_what_was_undone_is_in_no_tree(service: Service) -> None:
    database = service.database

    def add(writing: Any, codes: list[str], *, undone: bool) -> None:
        for code in codes:
            changes = {"code": (None, code)}
            entry = Entry(NOW, "benches", code, code, 1, "create", "olga", "api", "r-1", changes)
            database.history.add(writing, entry)
        if undone:
            raise LookupError

    for number in range(12):
        gone = [f"G{number}.{place}" for place in range(number % 5)]
        with pytest.raises(LookupError):
            database.write(lambda writing, gone=gone: add(writing, gone, undone=True))
        kept = [f"B{number}.{place}" for place in range(1 + number % 2)]
        database.write(lambda writing, kept=kept: add(writing, kept, undone=False))
    with database.reading() as reading:
        entries = database.history.following(reading, 0, 99)
        audit = TreeAudit()
        for one in entries:
            audit.append(leaf_hash(leaf_of(one)))
        assert database.history.tree.root(reading, len(entries)) == audit.root()


def test_history_can_only_grow(service: Service, http: httpx.Client) -> None:
    http.post("/v1/records/benches", json={"code": "B1"}).raise_for_status()
    for text in ("UPDATE fenland_history SET actor = 'carl'", "DELETE FROM fenland_history"):
        with pytest.raises(Exception, match="append-only"):
            service.database.write(lambda writing, text=text: writing.execute(text))
    assert len(http.get("/v1/records/benches/B1/history").json()["items"]) == 1


def test_series_keep_how_far_they_came_but_for_what_is_undone(service: Service) -> None:
    series, tools = service.database.series, service.resources["tools"].records

    class Undone(Exception):
        pass

    def work(writing: Any) -> None:
        assert series.last(writing, "tools.code") is None
        for number in (5, 10**15):
            series.keep(writing, "tools.code", number)
            with suppress(Undone), writing.nested():
                series.keep(writing, "tools.code", number + 1)
                series.keep(writing, "tools.serial", 1)
                raise Undone
            assert series.last(writing, "tools.code") == number
        tools.add(writing, stored(1, serial=7))
        tools.add(writing, stored(2))
        assert sorted(tools.values(writing, "code")) == ["T1", "T2"]
        assert list(tools.values(writing, "serial")) == [7]

    service.database.write(work)
    with service.database.reading() as reading:
        assert [series.last(reading, place) for place in ("tools.code", "tools.serial")] == [10**15, None]


def test_notices_come_in_order_and_but_for_what_is_undone(service: Service) -> None:
    database = service.database

    def left(key: Any, time: str = NOW, before: str = "2031-01-01T00:00:00.000000Z") -> int:
        notice = Noticed(
            0, "told", time, "tools", f"id-{key}", key, 7, "tools:1", {"n": Decimal("1.50"), "t": ["ä"]}
        )
        return database.write(lambda writing: database.notices.add(writing, notice, before))

    numbers = [left("A"), left(5), left("C", "2031-03-01T00:00:00.000000Z")]
    assert numbers == sorted(set(numbers))

    def undone(writing: Any) -> None:
        database.notices.add(writing, Noticed(0, "none", NOW, "tools", "x", "x", 8, "tools:1", {}), NOW)
        raise KeyError

    with pytest.raises(KeyError):
        database.write(undone)
    with database.reading() as reading:
        found, more = database.notices.after(reading, numbers[0] - 1, 2)
        assert ([(one.key, one.data) for one in found], more) == (
            [("A", {"n": Decimal("1.50"), "t": ["ä"]}), (5, {"n": Decimal("1.50"), "t": ["ä"]})], True,
        )  # fmt: skip
        found, more = database.notices.below(reading, 2**62, 50)
        assert [one.number for one in found][:3] == numbers[::-1] and not more
    assert database.write(lambda writing: database.notices.empty(writing, "id-5")) == 1
    # Older ones than a time go, and their numbers do not come again.
    last = left("D", before="2031-04-01T00:00:00.000000Z")
    with database.reading() as reading:
        found, _ = database.notices.after(reading, numbers[0] - 1, 50)
    assert [(one.key, one.data == {}) for one in found] == [("A", False), (5, True), ("D", False)]
    assert last > numbers[-1]


def test_deliveries_are_due_in_the_order_of_each_record_and_known_by_their_event(service: Service) -> None:
    database, now = service.database, "2031-04-09T12:00:00.000000Z"
    later, earlier = now.replace("2031", "2032"), now.replace("2031", "2030")
    one = Subscription(
        service.new_id(), "board", "olga", "https://board.example/", ("tools",), notices=("*",),
        secrets=(Secret("whsec_b", None), Secret("whsec_a", later)), place="7.01", notice=3,
    )  # fmt: skip

    def delivery(event: str, sequence: int, record: str, **other: Any) -> Delivery:
        told = Delivery(
            one.id, event, "fenland.record.updated", sequence, "tools", record, "H1", now, now, later
        )
        return replace(told, **other)

    def write(work: Callable[[Any], Any]) -> Any:
        return database.write(work)

    kept = database.deliveries
    write(lambda writing: database.subscriptions.add(writing, one))
    wanted = [
        delivery("9", 9, "a"),
        delivery("5", 5, "a"),
        delivery("6", 6, "b"),
        delivery("7", 7, "c", due=later),
    ]
    numbers = [write(lambda writing, each=each: kept.add(writing, each)) for each in wanted]
    assert numbers == sorted(numbers) and 0 not in numbers
    with database.reading() as reading:
        assert database.subscriptions.by_name(reading, "board") == one
        # Of a record the first that waits, whenever it was taken up; of those that are due.
        assert [each.event for each in kept.due(reading, one.id, now, 9)] == ["5", "6"]
        assert [each.event for each in kept.due(reading, one.id, now, 1)] == ["5"]
        assert (kept.next_due(reading, one.id), kept.next_due(reading, "none")) == (now, None)
        first = kept.due(reading, one.id, now, 1)[0]
    attempt = Attempt(now, 12, 200, "", "taken")
    sent = replace(first, state="sent", attempts=1)
    assert not write(lambda writing: kept.settle(writing, sent, None, later))
    assert write(lambda writing: kept.settle(writing, sent, attempt, now))
    # What was answered before values were erased, and comes in after, is not kept.
    write(lambda writing: kept.settle(writing, replace(sent, silenced=1), attempt, later))
    # The same event again is the same delivery, and waits anew.
    assert write(lambda writing: kept.add(writing, delivery("6", 6, "b", due=later))) == 0
    with database.reading() as reading:
        assert [each.event for each in kept.due(reading, one.id, now, 9)] == ["9"]
        assert kept.attempts(reading, first.number, 5) == [attempt._replace(answer=""), attempt]
        assert [kept.count(reading, one.id, state) for state in ("waiting", "sent")] == [3, 1]
        assert [each.event for each in kept.page(reading, one.id, None, below=2**40, limit=2)] == ["7", "6"]
        assert [each.event for each in kept.page(reading, one.id, "sent", below=2**40, limit=2)] == ["5"]
    assert write(lambda writing: kept.silence(writing, "a")) == 2
    assert write(lambda writing: database.subscriptions.go_on(writing, one, "9", 4))
    assert not write(lambda writing: database.subscriptions.go_on(writing, one, "10", 4))
    assert write(lambda writing: kept.remove_old(writing, earlier, 9)) == 0
    assert write(lambda writing: kept.remove_old(writing, later.replace("12:", "13:"), 9)) == 1
    assert write(lambda writing: kept.remove_of(writing, one.id, 2)) == 2
    with database.reading() as reading:
        assert kept.whose(reading) == [one.id]
        assert database.subscriptions.all(reading)[0].place == "9"
        assert kept.attempts(reading, first.number, 5) == []


def test_a_snapshot_sees_one_moment_and_a_reading_the_newest(service: Service, http: httpx.Client) -> None:
    benches, database = service.resources["benches"].records, service.database
    http.post("/v1/records/benches", json={"code": "B1", "name": "a"}).raise_for_status()
    with database.snapshot() as snapshot, database.reading() as reading:
        seen = [benches.find(one, "code", "B1") for one in (snapshot, reading)]
        http.patch("/v1/records/benches/B1", json={"name": "b"}).raise_for_status()
        seen += [benches.find(one, "code", "B1") for one in (snapshot, reading)]
    assert [one and one["name"] for one in seen] == ["a", "a", "a", "b"]


def test_no_change_of_many_threads_is_lost(http: httpx.Client, service: Service) -> None:
    http.post("/v1/records/tools", json={"code": "T1", "name": "Saw", "serial": 0}).raise_for_status()
    headers = {"Content-Type": "application/vnd.fenland.edits+json"}
    numbers, guard = itertools.count(), threading.Lock()

    def increase(_: int) -> int:
        with guard:
            number = next(numbers)
        if number % 5 == 0:
            # One that is refused after it has written, among the others.
            items = [{"action": "update", "collection": "tools", "key": "T1", "fields": {"note": str(number)}}, {"action": "delete", "collection": "tools", "key": "T9"}]  # fmt: skip
            return http.post("/v1/batch", json={"items": items}).status_code
        body = {"edits": [{"at": "/serial", "increase_by": 1}]}
        return http.patch("/v1/records/tools/T1", json=body, headers=headers).status_code

    with ThreadPoolExecutor(8) as pool:
        statuses = list(pool.map(increase, range(60)))
    tool = http.get("/v1/records/tools/T1").json()
    assert (tool["serial"], tool["version"], tool["note"]) == (48, 49, None)
    assert statuses.count(200) == 48 and statuses.count(422) == 12


def test_tokens_end(service: Service) -> None:
    issue_token(service, "olga", NewToken(secret="short", lifetime=timedelta(microseconds=1)))
    issue_token(service, "olga", NewToken("till", timedelta(days=1), secret="long"))
    olga = Actor("olga", "Olga", frozenset({"office"}), ATTRIBUTES["olga"])
    assert caller_by_token(service, "long", Origin()).actor == olga
    with pytest.raises(NotSignedIn):
        caller_by_token(service, "short", Origin())
    kept = {one.label: one for one in list_tokens(service, "olga")}
    assert kept["till"].expires_at is not None and kept["till"].created_at < kept["till"].expires_at
    assert revoke_tokens(service, "olga", kept["till"].id) == 1
    with pytest.raises(NotSignedIn):
        caller_by_token(service, "long", Origin())
