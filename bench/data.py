"""The records both sides of a comparison hold: gauges, the same ones by a fixed seed."""

from __future__ import annotations

import random
from collections.abc import Iterator
from typing import Any

OWNERS = 100
STATUSES = ("active", "maintenance", "retired")


def gauges(count: int) -> Iterator[dict[str, Any]]:
    dice = random.Random(7)
    for number in range(count):
        yield {
            "code": f"G{number:07d}",
            "name": f"Gauge {number:07d}",
            "status": STATUSES[number % 3],
            "latitude": round(dice.uniform(-90, 90), 5),
            "longitude": round(dice.uniform(-180, 180), 5),
            "level": round(dice.uniform(0, 4000), 1),
            "capacity": dice.randrange(500),
            "enabled": number % 2 == 0,
            "installed_at": "2031-04-09T12:00:00Z",
            "notes": "automatic gauge, fenced",
        }
