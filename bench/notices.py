"""Updates beside notices to other systems, against none; and how fast what has come is sent.

    python bench/notices.py [--seconds 6] [--subscriptions 10]

One service on loopback, and a receiver in a process of its own; eight clients change records all the while. Beside
them, in turn: no subscription, some whose condition nothing meets, and one more that is sent every change. Printed is
the rate of updates beside each as a ratio to that beside none, and how many notices a second are sent afterwards.
"""

from __future__ import annotations

import argparse
import subprocess
import sys
import tempfile
import threading
import time
from pathlib import Path

import httpx

sys.path.insert(0, str(Path(__file__).parents[1] / "tests"))

from support import Running, free_port, new_project, start

CLIENTS, RECORDS = 8, 40
SETTINGS = 'notice_plain_http = true\nnotice_networks = ["127.0.0.0/8"]\naccount_managers = ["editor"]\n'
RECEIVER = """
import sys
from fenland.demo.receiver import ReceiverServer
ReceiverServer(lambda headers, body: headers["webhook-id"], int(sys.argv[1])).serve_forever()
"""


def rate(running: Running, token: str, seconds: float) -> float:
    """Updates a second of all clients together."""
    done, until = [0] * CLIENTS, time.monotonic() + seconds

    def change(number: int) -> None:
        with running.client(token) as http:
            while time.monotonic() < until:
                key = number + CLIENTS * (done[number] % (RECORDS // CLIENTS))
                http.patch(f"/v1/records/notes/n{key}", json={"title": str(time.time())}).raise_for_status()
                done[number] += 1

    threads = [threading.Thread(target=change, args=[number]) for number in range(CLIENTS)]
    for one in threads:
        one.start()
    for one in threads:
        one.join()
    return sum(done) / seconds


def measured(running: Running, token: str, address: str, asked: argparse.Namespace) -> None:
    """All of it, told on standard output."""
    with running.client(token) as http:

        def subscribe(name: str, **more: object) -> None:
            http.post("/v1/subscriptions", json={"name": name, "url": address, **more}).raise_for_status()

        for number in range(RECORDS):
            http.post("/v1/records/notes", json={"slug": f"n{number}", "title": "x"}).raise_for_status()
        rate(running, token, 2)
        none = rate(running, token, asked.seconds)
        print(f"updates beside no subscription       {none:7.0f} /s")
        for number in range(asked.subscriptions):
            subscribe(f"q{number}", collections=["notes"], where="slug == 'none'")
        quiet = rate(running, token, asked.seconds)
        print(f"beside {asked.subscriptions:3} that nothing concerns       {quiet / none:7.2f} x")
        subscribe("all")
        busy = rate(running, token, asked.seconds)
        print(f"and one that is sent all             {busy / none:7.2f} x")
        print(f"sent afterwards                      {_sent(http):7.0f} /s")


def _sent(http: httpx.Client, seconds: float = 10) -> float:
    """Notices a second that are taken, with nothing else going on."""

    def last() -> int:
        items = http.get("/v1/subscriptions/all/deliveries?state=sent&limit=1").json()["items"]
        return int(items[0]["number"]) if items else 0

    first = last()
    time.sleep(seconds)
    return (last() - first) / seconds


def main() -> None:
    """Starts what is measured, and stops it."""
    parser = argparse.ArgumentParser(
        description=__doc__, formatter_class=argparse.RawDescriptionHelpFormatter
    )
    parser.add_argument("--seconds", type=float, default=6)
    parser.add_argument("--subscriptions", type=int, default=10)
    asked, port = parser.parse_args(), free_port()
    receiver = subprocess.Popen([sys.executable, "-c", RECEIVER, str(port)])
    with tempfile.TemporaryDirectory() as place:
        folder = new_project(Path(place) / "notes")
        settings = folder / "fenland.toml"
        settings.write_text(settings.read_text() + SETTINGS)
        token, running = (folder / "token").read_text(), start("start", folder, folder / "log")
        try:
            measured(running, token, f"http://127.0.0.1:{port}/in", asked)
        finally:
            running.stop()
            receiver.kill()


if __name__ == "__main__":
    main()
