"""Work that one caller causes, beside others: their median update alone, and while it runs.

    python bench/bounds.py [--rows 4000] [--seconds 8]

One service on loopback; eight threads change records of their own all the while. Beside them, in turn: nothing, a
search whose condition is costly, forty sign-ins at once, and the undoing of an import, which is seen beforehand too.
Printed is others' median beside each, its ratio to that beside nothing, and saves a second of the undoing and its ratio
to the import that it takes back.
"""

from __future__ import annotations

import argparse
import statistics
import sys
import tempfile
import threading
import time
from collections.abc import Callable, Iterator
from contextlib import contextmanager
from pathlib import Path
from typing import Any

sys.path.insert(0, str(Path(__file__).parents[1] / "tests"))

from support import Running, new_project, start

THREADS = 8
NUMBERS = "[" + ", ".join(map(str, range(100))) + "]"
COSTLY = NUMBERS + ".exists(a, " + NUMBERS + ".exists(b, a + b + size(record.title) < 0))"


class Others:
    """Callers who change records of their own, and how long each change took."""

    def __init__(self, running: Running, token: str) -> None:
        self._running, self._token = running, token
        self._took: list[float] = []
        self._ended = threading.Event()
        self._threads = [threading.Thread(target=self._change, args=[number]) for number in range(THREADS)]

    def _change(self, number: int) -> None:
        with self._running.client(self._token) as http:
            http.post("/v1/records/notes", json={"slug": f"o{number}", "title": "x"}).raise_for_status()
            while not self._ended.is_set():
                begun = time.perf_counter()
                http.patch(f"/v1/records/notes/o{number}", json={"title": str(begun)}).raise_for_status()
                self._took.append(time.perf_counter() - begun)
                time.sleep(0.02)

    @contextmanager
    def there(self) -> Iterator[None]:
        for one in self._threads:
            one.start()
        try:
            yield
        finally:
            self._ended.set()
            for one in self._threads:
                one.join()

    def median_beside(self, work: Callable[[], Any]) -> float:
        """Milliseconds of the median change that ends while the work runs."""
        self._took.clear()
        work()
        return statistics.median(self._took) * 1000


def main() -> None:
    parser = argparse.ArgumentParser(
        description=__doc__, formatter_class=argparse.RawDescriptionHelpFormatter
    )
    parser.add_argument("--rows", type=int, default=4_000)
    parser.add_argument("--seconds", type=float, default=8)
    asked = parser.parse_args()
    with tempfile.TemporaryDirectory() as place:
        folder = new_project(Path(place) / "notes")
        token, running = (folder / "token").read_text(), start("start", folder, folder / "log")
        try:
            _measured(running, token, asked)
        finally:
            running.stop()


def _measured(running: Running, token: str, asked: argparse.Namespace) -> None:
    took: dict[str, float] = {}
    with running.client(token) as http:
        http.timeout = 600

        def timed(name: str, path: str, **sent: Any) -> Any:
            begun = time.perf_counter()
            answer = http.post(path, **sent).raise_for_status().json()
            took[name] = time.perf_counter() - begun
            return answer

        def costly() -> None:
            until = time.monotonic() + asked.seconds
            while time.monotonic() < until:
                http.get("/v1/records/notes", params={"where": COSTLY})

        def sign_ins() -> None:
            def one(number: int) -> None:
                with running.client(token) as mine:
                    mine.timeout = 600
                    mine.post("/v1/session", json={"name": f"n{number}", "password": "not the password"})

            threads = [threading.Thread(target=one, args=[number]) for number in range(40)]
            for each in threads:
                each.start()
            for each in threads:
                each.join()

        rows = "slug,title\n" + "".join(f"n{number},x\n" for number in range(asked.rows))
        found = timed(
            "import", "/v1/records/notes/import", content=rows, headers={"Content-Type": "text/csv"}
        )
        batch = {"batch": found["batch"], "atomic": False}
        works: dict[str, Callable[[], Any]] = {
            "nothing": lambda: time.sleep(asked.seconds),
            "a costly condition": costly,
            "40 sign-ins": sign_ins,
            "seeing an undoing": lambda: timed("preview", "/v1/history/undo?preview=true", json=batch),
            "an undoing": lambda: timed("undo", "/v1/history/undo", json=batch),
        }
        others = Others(running, token)
        with others.there():
            beside = {name: others.median_beside(work) for name, work in works.items()}
    for name, median in beside.items():
        print(f"others beside {name:20} {median:7.1f} ms   {median / beside['nothing']:5.1f} x")
    for name in ("import", "preview", "undo"):
        speed = asked.rows / took[name]
        print(f"{name:34} {speed:7.0f} rows/s {took['import'] / took[name]:5.2f} x")


if __name__ == "__main__":
    main()
