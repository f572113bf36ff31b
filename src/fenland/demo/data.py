"""Believable records for the sample project, the same ones every time: the seed is fixed.

Everything goes in through the use cases, so every record has passed validation and has its history.
All people, places and firms are made up.
"""

from __future__ import annotations

import functools
import random
from collections.abc import Callable, Iterator, Mapping
from dataclasses import dataclass, field
from datetime import UTC, date, datetime, timedelta
from typing import Any

from fenland.core.access.policy import Actor, Caller
from fenland.core.changes.patches import MergePatch
from fenland.core.definitions.model import Definitions
from fenland.core.problems import Unavailable
from fenland.service.accounts.accounts import NewAccount, add_account
from fenland.service.accounts.tokens import NewToken, issue_token
from fenland.service.changes.finding import Address
from fenland.service.records.create import CreateRequest, create
from fenland.service.records.update import UpdateRequest, update
from fenland.service.service import Service
from fenland.storage.door import Database, Page

SEED = 4711
START = datetime(2026, 2, 2, 7, 30, tzinfo=UTC)
#: Changes of one transaction.
_AT_A_TIME = 200


@dataclass(frozen=True)
class Person:
    """Somebody with an account; token and password are known to all and only good for the sample."""

    name: str
    title: str
    role: str
    token: str
    attributes: Mapping[str, Any] = field(default_factory=dict)


#: Of every account of the sample.
PASSWORD = "sedge and reed"  # noqa: S105 - known to all

#: Templates of what there is to do at a new station: code, the only kind that it is for, and what.
DUTIES = (
    ("keys", None, "Cut two keys, and hang one in the office."),
    ("sign", None, "Put up the sign with code and telephone number."),
    ("gauge", None, "Read the gauge for a week before it is trusted."),
    ("pumps", "pumping station", "Run each pump for ten minutes, and note what it draws."),
    ("gate", "sluice", "Grease the gate, and mark where it is closed."),
    ("flap", "outfall", "See that the flap swings and closes by itself."),
)

ACCOUNTS = (
    Person("ines.harrow", "Ines Harrow", "office", "sample-office"),
    Person("marta.quill", "Marta Quill", "crew", "sample-crew", {"area": "north"}),
    Person("tobin.reed", "Tobin Reed", "crew", "sample-crew-two", {"area": "middle"}),
    Person("oda.fenn", "Oda Fenn", "crew", "sample-crew-three", {"area": "south"}),
    Person("zelda.hawkswell", "Zelda Hawkswell", "landholder", "sample-landholder", {"landholder": "L0042"}),
    Person("pim.larkin", "Pim Larkin", "visitor", "sample-visitor"),
)
OFFICE, CREW = "ines.harrow", ("marta.quill", "tobin.reed", "oda.fenn")

_WATERS = (
    "Sallow Drain", "Heron Dyke", "Old Lode", "Brindle Catchwater", "Tansy Cut", "Mereside Drain",
    "Ousel Dyke", "Long Tharn", "Quaking Lode", "Withy Main", "Farthing Dyke", "Reedway",
    "Cotter's Drain", "Bittern Cut", "Low Marram", "Silt Lode", "Gant Water", "Teal Dyke",
    "Orchard Drain", "Priest Cut", "Summer Lode", "Black Carr", "Wendling Dyke", "River Sedge",
)  # fmt: skip
_PLACES = (
    "Amblestow", "Bracken Hythe", "Cold Ferring", "Dunsey", "Eelham", "Fothermoor", "Grebe Corner",
    "Hallow End", "Inglemere", "Jessop's Drove", "Kettle Bank", "Lapwing Toft", "Mardyke St Anne",
    "Nettleby", "Oxney Wash", "Pollard Row", "Quay Fen", "Rushmere End", "Stilt Cross", "Thistleby",
    "Upper Tharn", "Vetch Green", "Wadlow", "Yarrow Gate",
)  # fmt: skip
_FIRST = (
    "Ada", "Bram", "Cleo", "Dorrit", "Edda", "Finn", "Greta", "Hale", "Isla", "Joss", "Kit", "Lorna",
    "Mabel", "Ned", "Orla", "Perrin", "Rosa", "Silas", "Tilda", "Una", "Viola", "Wilf", "Yannick", "Zelda",
)  # fmt: skip
_LAST = (
    "Applegarth", "Birdsall", "Catchpole", "Dredge", "Eastoe", "Fairweather", "Gotobed", "Hawkswell",
    "Ibbet", "Jolliffe", "Kerridge", "Loveday", "Marchant", "Nightingall", "Overbeck", "Peachey",
    "Quantrill", "Rushbrook", "Sparrow", "Thickpenny", "Underwood", "Vesey", "Winterflood", "Yallop",
)  # fmt: skip
_WORK = (
    ("Clear the weed screen", "Weed and branches have built up on the screen; the rake stops halfway."),
    ("Grease the sluice gate", "The gate sticks at a third and needs two people to move."),
    ("Replace float switch", "The pump starts late: the float hangs on its cable."),
    ("Repair fence by the intake", "Two posts are down, and sheep have been at the water."),
    ("Repaint gauge board", "Figures above 2.4 m cannot be read from the bank."),
    ("Check bearing noise on pump 2", "A grinding sound after ten minutes of running."),
    ("Patch the access track", "The last hundred metres are too soft for the lorry."),
    ("Renew the padlock", "The lock has seized; bolt cutters were needed on the last visit."),
    ("Reset telemetry", "No reading has come in since the storm."),
    ("Survey bank slip", "About four metres of bank have moved towards the water."),
)
_FINDINGS = (
    "All in order; screen clean and water clear.",
    "Some weed at the screen, cleared by hand.",
    "Bearing warm to the touch after an hour, to be watched.",
    "Gate moves freely since it was greased.",
    "Silt has built up downstream of the apron.",
    "Oil level low; topped up by half a litre.",
    "Fence damaged by cattle on the east side.",
    "Standing water inside the control house after rain.",
)
_PARTS = ("float switch", "shear pin", "gate seal", "grease cartridge", "padlock", "fence post", "fuse 32 A")
_TAGS = ("telemetry", "eel pass", "listed building", "boat access", "diesel", "noise limit", "flood relay")

AREAS = ("north", "middle", "south")

Step = Callable[[], Any]


@dataclass(frozen=True)
class Size:
    """How many records of each kind there are, and how many changes of them come later."""

    stations: int = 140
    landholders: int = 620
    inspections: int = 1800
    tickets: int = 900
    #: Of tickets, stations, inspections and landholders.
    changes: tuple[int, int, int, int] = (900, 300, 200, 80)

    def station(self, dice: random.Random) -> str:
        """The code of one of the stations."""
        return f"PS-{dice.randrange(1, self.stations + 1):03d}"


#: As the sample is shown.
WHOLE = Size()


class _Clock:
    """A clock that the generator sets: records look as if written over the months."""

    def __init__(self) -> None:
        self.moment = START

    def __call__(self) -> datetime:
        self.moment += timedelta(milliseconds=250)
        return self.moment


class _Writer:
    """Writes as one account or another, at a time of the generator's choosing."""

    def __init__(self, definitions: Definitions, database: Database) -> None:
        self.clock = _Clock()
        self.service = Service(definitions, database, clock=self.clock)
        self.service.dice = random.Random(SEED)
        self.callers = {
            one.name: Caller(
                Actor(one.name, one.title, frozenset({one.role}), one.attributes), request_id="sample"
            )
            for one in ACCOUNTS
        }

    def create(self, who: str, collection: str, fields: dict[str, Any]) -> None:
        create(self.service, self.callers[who], CreateRequest(collection, fields))

    def update(self, who: str, collection: str, key: Any, fields: dict[str, Any], reason: str | None) -> None:
        request = UpdateRequest(Address(collection, str(key)), MergePatch(fields), reason=reason)
        update(self.service, self.callers[who], request)


def _accounts(service: Service) -> None:
    for one in ACCOUNTS:
        add_account(service, NewAccount(one.name, one.title, [one.role], one.attributes, PASSWORD))
        issue_token(service, one.name, NewToken("sample", secret=one.token))


def _day(dice: random.Random, start: int, end: int) -> str:
    return str(date(2026, 2, 2) + timedelta(days=dice.randrange(start, end)))


def _beginnings() -> Iterator[tuple[str, dict[str, Any]]]:
    """What new stations are given: pictures, and templates of duties."""
    for kind in ("pumping station", "sluice", "outfall"):
        for number in (1, 2, 3):
            file = f"{kind.replace(' ', '-')}-{number}.svg"
            yield "pictures", {"file": file, "kind": kind, "drawn_by": "Wren Holloway"}
    for code, only, text in DUTIES:
        yield "duty_templates", {"code": code, "kind": only, "text": text}
    yield (
        "views",
        {
            "title": "Left to do",
            "collection": "tickets",
            "where": 'state != "done"',
            "sort": "due_on",
            "columns": ["number:100", "title", "station", "assignee", "due_on"],
            "roles": ["office", "crew"],
        },
    )
    yield (
        "views",
        {
            "title": "In repair",
            "collection": "stations",
            "where": 'status == "maintenance"',
            "columns": ["code:110", "name", "open_tickets", "last_work_on", "keeper"],
        },
    )


def _watercourses(dice: random.Random) -> Iterator[dict[str, Any]]:
    for place, name in enumerate(_WATERS, 1):
        kind = next((kind for kind in ("river", "dyke", "catchwater") if kind in name.lower()), "main drain")
        yield {
            "code": f"W{place:02d}",
            "name": name,
            "kind": kind,
            "length_km": dice.randrange(140, 2900) / 100,
        }


def _stations(dice: random.Random, size: Size) -> Iterator[dict[str, Any]]:
    for place in range(1, size.stations + 1):
        kind = dice.choices(("pumping station", "sluice", "outfall"), (5, 4, 1))[0]
        where = _PLACES[(place * 7) % len(_PLACES)]
        pumps = dice.randrange(1, 5) if kind == "pumping station" else 0
        station: dict[str, Any] = {
            "code": f"PS-{place:03d}",
            "name": f"{where} {('North', 'South', 'Bridge', 'Bank', 'Lane', 'Head')[place % 6]}",
            "kind": kind,
            "area": AREAS[place * len(AREAS) // (size.stations + 1)],
            "status": dice.choices(("running", "standby", "maintenance", "retired"), (6, 4, 1, 1))[0],
            "watercourse": f"W{dice.randrange(1, len(_WATERS) + 1):02d}",
            "keeper": dice.choice(CREW),
            "pumps": pumps,
            "capacity": pumps * dice.randrange(40, 320) / 100,
            "crest_level": dice.randrange(-1200, 5200) / 1000,
            "automatic": dice.random() < 0.4,
            "commissioned_on": str(
                date(dice.randrange(1931, 2021), dice.randrange(1, 13), dice.randrange(1, 29))
            ),
            "tags": dice.sample(_TAGS, dice.randrange(0, 4)),
        }
        if dice.random() < 0.6:
            name = f"{dice.choice(_FIRST)} {dice.choice(_LAST)}"
            station["contact"] = {"name": name, "phone": f"0555 {dice.randrange(100000, 999999)}"}
        if dice.random() < 0.5:
            station["access_notes"] = f"From {where}, second gate on the left; the key hangs in the office."
        yield station


def _inspection(dice: random.Random, size: Size, number: int, inspector: str) -> dict[str, Any]:
    day = _day(dice, 0, 285)
    return {
        "number": number,
        "station": size.station(dice),
        "inspected_on": day,
        "inspector": inspector,
        "condition": dice.choices(("good", "fair", "poor", "failed"), (10, 6, 3, 1))[0],
        "water_level": dice.randrange(-80, 340) / 100,
        "weed_cover": min(100, max(0, int(dice.gauss(25, 22)))),
        "debris_cleared": dice.random() < 0.5,
        "findings": dice.choice(_FINDINGS),
        "reading_at": f"{day}T{dice.randrange(7, 17):02d}:{dice.randrange(60):02d}:00Z",
    }


def _ticket(dice: random.Random, size: Size, place: int) -> dict[str, Any]:
    title, description = dice.choice(_WORK)
    number = dice.randrange(1, size.stations + 1)
    ticket: dict[str, Any] = {
        "number": f"T-{place:04d}",
        "title": title,
        "description": description,
        "station": f"PS-{number:03d}",
        "state": "open",
        "priority": dice.choices((1, 2, 3, 4, 5), (1, 3, 6, 3, 1))[0],
        # Each crew looks after an area.
        "assignee": CREW[number * len(CREW) // (size.stations + 1)],
        "due_on": _day(dice, 200, 340),
        "hours": 0,
    }
    if dice.random() < 0.5:
        ticket["inspection"] = dice.randrange(1, size.inspections + 1)
    return ticket


_ROADS = ("Drove Road", "Church Lane", "High Bank", "Mill Row")


def _parcel(dice: random.Random) -> str:
    return f"{dice.choice('SW')}{dice.choice('ABCD')}{dice.randrange(1000, 9999)}"


def _landholders(dice: random.Random, size: Size) -> Iterator[dict[str, Any]]:
    for place in range(1, size.landholders + 1):
        first, last = dice.choice(_FIRST), dice.choice(_LAST)
        farm = dice.random() < 0.3
        village = dice.choice(_PLACES)
        yield {
            "number": f"L{place:04d}",
            "name": f"{last} Farms, {village}" if farm else f"{first} {last}",
            "email": f"{first}.{last}{place}@{'farm' if farm else 'post'}.example".lower(),
            "phone": f"0555 {dice.randrange(100000, 999999)}",
            "address": {
                "line": f"{dice.randrange(1, 90)} {dice.choice(_ROADS)}",
                "village": village,
                "postcode": f"SL{dice.randrange(1, 20)} {dice.randrange(1, 10)}FE",
            },
            "holding": dice.randrange(20, 9000) * (12 if farm else 1) / 100,
            "parcels": sorted({_parcel(dice) for _ in range(dice.randrange(1, 5))}),
            "by_post": dice.random() < 0.35,
        }  # fmt: skip


def _changes(dice: random.Random, size: Size) -> Iterator[tuple[str, str, Any, dict[str, Any], str | None]]:
    """Who changed what, later on: work on tickets, corrected readings, new addresses."""
    tickets, stations, inspections, landholders = size.changes
    for _ in range(tickets):
        number = dice.randrange(1, size.tickets + 1)
        state = dice.choice(("in hand", "in hand", "waiting for parts", "done"))
        fields: dict[str, Any] = {"state": state, "hours": dice.randrange(1, 40) / 4}
        if state == "waiting for parts":
            fields["parts"] = dice.sample(_PARTS, dice.randrange(1, 3))
        if state == "done":
            fields["cost"] = dice.randrange(0, 48000) / 100
        yield OFFICE, "tickets", f"T-{number:04d}", fields, None
    for _ in range(stations):
        code = size.station(dice)
        status = dice.choice(("running", "standby", "maintenance"))
        reason = dice.choice((None, "After the storm", "Seasonal change-over", "Crew report"))
        yield OFFICE, "stations", code, {"status": status, "automatic": dice.random() < 0.5}, reason
    for _ in range(inspections):
        number = dice.randrange(1, size.inspections + 1)
        yield OFFICE, "inspections", number, {"water_level": dice.randrange(-80, 340) / 100}, "Gauge misread"
    for _ in range(landholders):
        key = f"L{dice.randrange(1, size.landholders + 1):04d}"
        yield OFFICE, "landholders", key, {"phone": f"0555 {dice.randrange(100000, 999999)}"}, "Called in"


def _steps(writer: _Writer, dice: random.Random, size: Size) -> Iterator[Step]:
    add = functools.partial(functools.partial, writer.create)

    for collection, fields in _beginnings():
        yield add(OFFICE, collection, fields)
    for fields in _watercourses(dice):
        yield add(OFFICE, "watercourses", fields)
    for fields in _stations(dice, size):
        yield add(OFFICE, "stations", fields)
    for fields in _landholders(dice, size):
        yield add(OFFICE, "landholders", fields)
    for number in range(1, size.inspections + 1):
        who = dice.choice(CREW)
        yield add(who, "inspections", _inspection(dice, size, number, who))
    for place in range(1, size.tickets + 1):
        ticket = _ticket(dice, size, place)
        yield add(ticket["assignee"], "tickets", ticket)
    for change in _changes(dice, size):
        yield functools.partial(writer.update, *change)


def fill(
    definitions: Definitions, database: Database, progress: Callable[[int, int], None], size: Size = WHOLE
) -> int:
    """Fills an empty sample database and returns how many records it holds.

    `progress` is called with the steps done and the steps in all.
    """
    writer, dice = _Writer(definitions, database), random.Random(SEED)
    _accounts(writer.service)
    steps = list(_steps(writer, dice, size))
    pause = timedelta(days=280) / len(steps)
    for first in range(0, len(steps), _AT_A_TIME):
        # Nobody else writes yet: the disk is waited for once for many.
        together = database.together()
        try:
            for done, step in enumerate(steps[first : first + _AT_A_TIME], first + 1):
                writer.clock.moment += pause
                step()
                progress(done, len(steps))
        except BaseException:
            together.lost = True
            raise
        finally:
            kept = together.commit()
        if not kept:
            raise Unavailable("The sample could not be saved. Run the command again to begin anew.")
    page = Page()
    with database.reading() as connection:
        return sum(records.count(connection, page) for records in database.records.values())
