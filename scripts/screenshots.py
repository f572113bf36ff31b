"""Takes docs/screenshots anew from freshly laid sample data: the console in Chromium, commands in a terminal.

The terminal is xterm under Xvfb, photographed by ImageMagick's import, all from Debian's packages.
"""

from __future__ import annotations

import os
import shutil
import subprocess
import sys
import tempfile
import threading
import time
from pathlib import Path
from typing import Any

ROOT = Path(__file__).parent.parent
SHOTS = ROOT / "docs" / "screenshots"
sys.path.insert(0, str(ROOT / "tests"))

import httpx  # noqa: E402
from playwright.sync_api import Browser, Page, sync_playwright  # noqa: E402

from browser import chromium  # noqa: E402
from fenland.client import Client, verified  # noqa: E402
from fenland.demo.data import PASSWORD  # noqa: E402
from fenland.demo.receiver import Behaviour, ReceiverServer  # noqa: E402
from support import FENLAND, Running, start  # noqa: E402

SIZE = {"width": 1280, "height": 800}

COMMANDS = """\
fenland list stations --find bridge --limit 6
fenland update stations PS-014 pumps=3 automatic=true --reason 'Third pump is back'
fenland update stations PS-014 pumps=99 name=
fenland history stations PS-014
fenland pass make landholders own_details L0044 --days 30
fenland proposals show 1
"""
CHECK = """\
fenland new levels
sed -i 's/required: true/requird: true/; s/format: date/format: day/' levels/collections/notes.yaml
fenland check levels
fenland check --help
"""
EXPLAIN = """\
fenland rules tickets
fenland explain tickets T-0001 --account marta.quill
fenland update-many tickets priority=2 --where 'state == "waiting for parts" && priority == 1' --preview
"""
MIGRATE = """\
cd $FENLAND_PROJECT && F=collections/stations.yaml
sed -i 's/  access_notes: .*/  directions: {type: string, was: access_notes, maxLength: 200}/' $F
sed -i '/^  tags:/,$d; s/level: {type: number,/level: {type: integer,/; s/, multipleOf: 0.001//' $F
fenland migrate --preview
sed -i 's/crest_level: {type: integer,/crest_level: {type: number, multipleOf: 0.001,/' $F
fenland migrate --lose stations.tags
"""
FILES = """\
fenland export stations --where 'pumps > 3' --fields code,name,pumps,status --out busy.csv
sed -i '1s/pumps/Pump count/; 2s/running/sleeping/; 3s/,[0-9]*,/,99,/' busy.csv && head -4 busy.csv
fenland import stations busy.csv
fenland import stations busy.csv --map 'Pump count=pumps' --preview
fenland import stations busy.csv --map 'Pump count=pumps' --reason 'Spring survey'
cat busy.refused.csv
fenland backup yesterday.db
fenland describe $FENLAND_PROJECT --as mermaid | tail -5
"""
SURVEY = (
    "Code,Name,Pump count,Status,Remarks\n"
    "PS-014,,4,running,dry\nPS-015,,2,asleep,\nPS-020,,many,standby,\nPS-201,New sluice,1,standby,wet\n"
    "PS-014,,5,running,\n"
)
HISTORY = """\
fenland history --field phone --since 2026-11-09 --limit 2
fenland update tickets T-0042 hours=5 state=done --reason 'Seen on site'
fenland history tickets T-0042
LAST=$(fenland history tickets T-0042 --limit 1 --json | tr -dc '0-9,' | cut -d, -f1)
fenland undo $LAST --preview
fenland head --write kept-elsewhere.jsonl
fenland erase landholders L0044 phone --reason 'Asked to be forgotten' --yes
fenland history landholders L0044
fenland verify --head kept-elsewhere.jsonl
"""
CONSEQUENCES = """\
COLUMNS=150 fenland consequences $FENLAND_PROJECT | head -22
fenland create tickets title='Grease the sluice' station=PS-001 hours=2 cost=12.5
fenland update tickets T-0901 state=done --preview
fenland update tickets T-0901 total=3
"""


def _sign_in(page: Page) -> None:
    page.goto("/")
    _enter(page)
    page.get_by_role("grid").wait_for()


def _enter(page: Page) -> None:
    page.get_by_label("Name").fill("ines.harrow")
    page.get_by_label("Password").fill(PASSWORD)
    page.keyboard.press("Enter")


def _shot(page: Page, name: str) -> None:
    page.wait_for_timeout(600)
    page.screenshot(path=SHOTS / f"{name}.png")


def console(running: Running) -> None:
    """The pages of the console."""
    with sync_playwright() as playwright:
        browser = chromium(playwright)
        page = browser.new_page(viewport=SIZE, base_url=running.address, color_scheme="light")
        page.goto("/")
        page.get_by_label("Password").wait_for()
        _sign_in(page)
        page.goto('/c/stations?where=pumps > 2 %26%26 status == "running"&sort=-pumps')
        page.get_by_role("grid").wait_for()
        _shot(page, "list")
        page.goto("/activity?collection=tickets&from=2026-08-01&to=2026-08-31")
        page.locator("svg").first.wait_for()
        page.wait_for_timeout(1500)
        _shot(page, "activity")
        page.goto("/c/stations/import")
        survey = {"name": "survey.csv", "mimeType": "text/csv", "buffer": SURVEY.encode()}
        page.get_by_label("File").set_input_files(survey)
        page.get_by_label("Field for Pump count").click()
        page.get_by_role("option", name="Pumps").click()
        page.get_by_role("table", name="Refused rows").get_by_text("Enter a whole number.").wait_for()
        _shot(page, "import")
        _subscription(page, running)
        _requests(page, running)
        page.goto("/c/tickets/r/T-0001")
        page.get_by_role("button", name="Show who may").click()
        page.get_by_label("For").click()
        page.get_by_role("option", name="Marta Quill").click()
        page.get_by_text("None of their roles is on the list.").first.wait_for()
        page.get_by_role("region", name="Access").scroll_into_view_if_needed()
        _shot(page, "access")
        page.goto("/c/stations/r/PS-014")
        page.get_by_role("textbox", name="Pumps").fill("4")
        page.get_by_role("button", name="Save", exact=True).click()
        page.get_by_text("Saved. PS-014").wait_for()
        page.get_by_role("button", name="Check the proof").click()
        page.get_by_text("Proved here").wait_for()
        _shot(page, "record")
        page.goto("/c/stations/r/PS-014/compare?from=1")
        page.get_by_role("table").wait_for()
        _shot(page, "compare")
        page.goto("/c/stations/r/PS-020")
        page.get_by_role("textbox", name="Pumps").fill("5")
        with running.client() as client:
            client.patch("/v1/records/stations/PS-020", json={"pumps": 2, "status": "standby"})
        page.get_by_role("button", name="Save", exact=True).click()
        page.get_by_role("region", name="Conflict").wait_for()
        _shot(page, "conflict")
        page.goto("/proposals")
        page.get_by_role("region", name="Proposal").get_by_role("button", name="Apply").wait_for()
        _shot(page, "proposals")
        page.close()
        _pass(browser, running)
        page = browser.new_page(
            viewport={"width": 390, "height": 800}, base_url=running.address, color_scheme="light"
        )
        page.goto("/")
        _enter(page)
        page.get_by_role("list", name="Records").wait_for()
        page.goto("/c/tickets?q=weed&sort=-number")
        page.get_by_role("list", name="Records").wait_for()
        _shot(page, "phone")
        browser.close()


def _propose(running: Running) -> None:
    """What landholders sent: of one the telephone was changed meanwhile, by the office."""
    sent = [
        (
            "L0042",
            {"address": {"line": "12 Old Lode Bank"}, "phone": "0555 424242"},
            "We moved in spring, and sold the piece at Withy Main.",
        ),
        ("L0017", {"address": {"postcode": "SL9 9FE"}}, ""),
        ("L0023", {"parcels": "AB1000\nAB1001"}, "Both lie by the sluice."),
    ]
    with running.client() as http:
        for key, wrong, note in sent:
            link = _link(http, key)
            before = _answered(http, link, key)
            if "phone" in wrong:
                http.patch(f"/v1/records/landholders/{key}", json={"phone": "0555 100200"})
            inputs = {"kind": "change", "base": str(before["version"]), "once": key, "note": note}
            for field, value in wrong.items():
                parts = value if isinstance(value, dict) else {"": value}
                full = {**before["address"], **parts} if field == "address" else parts
                inputs |= {f"f/{field}/{part}".rstrip("/"): text for part, text in full.items()}
            http.post(link, data={**inputs, "tick": [*wrong]}).raise_for_status()


def _link(http: httpx.Client, key: str) -> str:
    asked = {"collection": "landholders", "template": "own_details", "key": key}
    return str(http.post("/v1/passes", json=asked).json()["link"])


def _answered(http: httpx.Client, link: str, key: str) -> dict[str, Any]:
    """The record, once its postcode was given as the second answer."""
    record: dict[str, Any] = http.get(f"/v1/records/landholders/{key}").json()
    http.post(f"{link}/answer", data={"answer": record["address"]["postcode"]})
    return record


def _pass(browser: Browser, running: Running) -> None:
    """What somebody without an account sees, who says what is wrong."""
    with running.client() as http:
        link = _link(http, "L0042")
        postcode = http.get("/v1/records/landholders/L0042").json()["address"]["postcode"]
    page = browser.new_page(viewport=SIZE, color_scheme="light")
    page.goto(link)
    page.get_by_label("Postcode").fill(postcode)
    page.get_by_role("button", name="Go on").click()
    page.get_by_label("This is wrong: Phone").check()
    _shot(page, "pass")
    page.close()


def _subscription(page: Page, running: Running) -> None:
    """What another system was sent, and what it answered: the first of it too late."""
    secrets: list[str] = []
    receiver = ReceiverServer(lambda headers, body: verified(headers, body, secrets), 8481, Behaviour(2))
    threading.Thread(target=receiver.serve_forever, daemon=True).start()
    with Client(running.address, "sample-office") as client:
        where = {"collections": ["tickets"], "where": 'state != "done"', "notices": ["*"]}
        secrets.append(client.subscriptions.add("board-map", f"{receiver.address}/in", **where)["secret"])
        client.update("tickets", "T-0003", {"hours": 3.5})
        client.update("tickets", "T-0008", {"priority": 1})
        client.update("tickets", "T-0008", {"state": "done", "hours": 2})
    page.goto("/subscriptions/board-map")
    page.get_by_text("200 · taken").nth(3).wait_for()
    page.get_by_role("button", name="Attempts at 1").click()
    page.get_by_role("listitem").nth(1).wait_for()
    _shot(page, "subscription")
    receiver.shutdown()
    receiver.server_close()


def _requests(page: Page, running: Running) -> None:
    """What a program sent, and what that meant."""
    tickets = "/v1/records/tickets"
    with running.client() as http:
        http.put("/v1/requests", json={"minutes": 15}).raise_for_status()
        http.get(f"{tickets}?limit=3&sort=-number")
        http.patch(
            f"{tickets}/T-0011?blank=keep", data={"title": "Clear the screen", "assignee": "", "hours": "1.5"}
        )
        http.patch(f"{tickets}/T-0011", json={"title": "", "priority": "urgent", "hours": 2, "colour": "red"})
        http.patch("/v1/records/landholders/L0044", json={"phone": "0555 100201"})
        page.goto("/requests")
        page.get_by_role("button", name="priority: type").click()
        page.get_by_role("button", name="followed total").click()
        _shot(page, "requests")
        http.delete("/v1/requests")


def terminal(name: str, commands: str, environment: dict[str, str]) -> None:
    """Commands with what they print, in a terminal window."""
    for tool in ("Xvfb", "xterm", "import"):
        if shutil.which(tool) is None:
            subprocess.run([str(ROOT / "scripts" / "apt.sh"), "xvfb", "xterm", "imagemagick"], check=True)
    with tempfile.TemporaryDirectory() as folder:
        script = Path(folder) / "script.sh"
        lines = [
            f"printf '\\033[1;32m$\\033[0m %s\\n' {_quoted(line)}\n{line}\necho"
            for line in commands.splitlines()
        ]
        script.write_text(f"cd {folder}\nclear\n" + "\n".join(lines) + "\nsleep 60\n")
        screen = subprocess.Popen(["Xvfb", ":97", "-screen", "0", "1280x800x24"], stderr=subprocess.DEVNULL)
        time.sleep(1)
        env = {
            **os.environ,
            **environment,
            "DISPLAY": ":97",
            "PATH": f"{Path(FENLAND).parent}:{os.environ['PATH']}",
        }
        look = [
            "-fa",
            "DejaVu Sans Mono",
            "-fs",
            "10.5",
            "-geometry",
            "140x44+0+0",
            "-bg",
            "#fdfdf8",
            "-fg",
            "#1d2a26",
        ]
        window = subprocess.Popen(["xterm", *look, "-e", "bash", str(script)], env=env)
        time.sleep(15)
        subprocess.run(["import", "-window", "root", str(SHOTS / f"{name}.png")], env=env, check=True)
        for process in (window, screen):
            process.terminate()
            process.wait()


def _quoted(line: str) -> str:
    return "'" + line.replace("'", "'\\''") + "'"


def main() -> None:
    """All pictures."""
    SHOTS.mkdir(parents=True, exist_ok=True)
    with tempfile.TemporaryDirectory() as folder:
        running = start("demo", Path(folder) / "sample", Path(folder) / "log")
        try:
            environment = {"FENLAND_ADDRESS": running.address, "FENLAND_TOKEN": "sample-office"}
            _propose(running)
            terminal("commands", COMMANDS, environment)
            terminal("consequences", CONSEQUENCES, {**environment, "FENLAND_PROJECT": str(running.folder)})
            terminal("explain", EXPLAIN, environment)
            terminal("check", CHECK, environment)
            terminal("history", HISTORY, {**environment, "FENLAND_PROJECT": str(running.folder)})
            terminal("files", FILES, {**environment, "FENLAND_PROJECT": str(running.folder)})
            console(running)
        finally:
            running.stop()
        # Of a project whose service does not run: it would be under older definitions.
        terminal("migrate", MIGRATE, {"FENLAND_PROJECT": str(running.folder)})


if __name__ == "__main__":
    main()
