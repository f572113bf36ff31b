"""Files in and out: so many rows imported, exported and compared, against records created one by one.

    python bench/files.py [--rows 1000000] [--single 2000]

One service on loopback, one client at a time. Printed are rows a second and their ratio to single creations of the
same records in the same run, the most memory that command and service took at a tenth of the way and at its end, and
whether what came out is what went in.
"""

from __future__ import annotations

import argparse
import filecmp
import json
import os
import resource
import subprocess
import sys
import tempfile
import time
from pathlib import Path

import httpx

sys.path.insert(0, str(Path(__file__).parents[1] / "tests"))

from support import FENLAND, Running, new_project, start

COLLECTION = """\
title: Gauges
key: code
access: {read: [everyone], create: [editor], update: [editor], delete: [editor]}
fields:
  code: {type: string, required: true, unique: true, fixed: true, pattern: "^G[0-9]{7}$"}
  name: {type: string, required: true, minLength: 2, maxLength: 60}
  level: {type: number, multipleOf: 0.01, minimum: -100, maximum: 4000}
  pumps: {type: integer, minimum: 0, maximum: 12}
  kind: {type: string, enum: [staff, float, radar]}
  seen_on: {type: string, format: date}
  automatic: {type: boolean}
"""
HEAD = "code,name,level,pumps,kind,seen_on,automatic\r\n"


def line(number: int) -> str:
    """One row, which an export writes as it stands here."""
    kind = ("staff", "float", "radar")[number % 3]
    level = f"{number % 4000}.{number % 100:02}"
    flag = ("true", "false")[number % 2]
    return f"G{number:07},Gauge {number},{level},{number % 13},{kind},2031-{number % 12 + 1:02}-09,{flag}\r\n"


def memory(running: Running) -> float:
    """Megabytes that the service's processes have, together."""
    pids = subprocess.run(
        ["pgrep", "-g", str(running.process.pid)], capture_output=True, text=True, check=True
    )
    total = 0
    for pid in pids.stdout.split():
        for entry in Path(f"/proc/{pid}/status").read_text().splitlines():
            if entry.startswith("VmRSS"):
                total += int(entry.split()[1])
    return total / 1024


def command(*words: str, env: dict[str, str], cwd: Path) -> tuple[float, float]:
    """Runs a command; seconds, and megabytes at its largest."""
    began = time.perf_counter()
    subprocess.run([FENLAND, *words], check=True, cwd=cwd, env=env, stdout=subprocess.DEVNULL)
    took = time.perf_counter() - began
    return took, resource.getrusage(resource.RUSAGE_CHILDREN).ru_maxrss / 1024


def main() -> None:
    """Measures and prints."""
    parser = argparse.ArgumentParser(description=__doc__)
    parser.add_argument("--rows", type=int, default=1_000_000)
    parser.add_argument("--single", type=int, default=2_000)
    asked = parser.parse_args()
    with tempfile.TemporaryDirectory() as place:
        folder = new_project(Path(place) / "gauges")
        for one in folder.glob("records.db*"):
            one.unlink()
        (folder / "collections" / "notes.yaml").unlink()
        (folder / "collections" / "gauges.yaml").write_text(COLLECTION)
        words = [FENLAND, "account", "add", "ada", "--role", "editor", "--project", str(folder), "--json"]
        token = json.loads(subprocess.run(words, check=True, capture_output=True).stdout)["token"]
        running = start("start", folder, folder / "log")
        env = {**os.environ, "FENLAND_ADDRESS": running.address, "FENLAND_TOKEN": token}
        try:
            measure(asked, running, folder, env)
        finally:
            running.stop()


def measure(asked: argparse.Namespace, running: Running, folder: Path, env: dict[str, str]) -> None:
    """One by one, then all of them in, then all of them out."""
    with httpx.Client(
        base_url=running.address, headers={"Authorization": f"Bearer {env['FENLAND_TOKEN']}"}
    ) as http:
        began = time.perf_counter()
        for number in range(asked.single):
            fields = {"code": f"G9{number:06}", "name": f"Single {number}", "level": 1.25, "pumps": 3, "kind": "staff", "seen_on": "2031-04-09", "automatic": True}  # fmt: skip
            http.post("/v1/records/gauges", json=fields).raise_for_status()
        single = asked.single / (time.perf_counter() - began)
        for number in range(asked.single):
            http.delete(f"/v1/records/gauges/G9{number:06}").raise_for_status()
    source, tenth, result = folder / "all.csv", folder / "tenth.csv", folder / "out.csv"
    part = asked.rows // 10
    for path, numbers in ((tenth, range(part)), (source, range(asked.rows))):
        with path.open("w", newline="") as file:
            file.write(HEAD)
            file.writelines(map(line, numbers))
    first, first_memory = command("import", "gauges", "tenth.csv", "--mode", "create", env=env, cwd=folder)
    after_tenth = memory(running)
    took, most = command("import", "gauges", "all.csv", "--mode", "both", env=env, cwd=folder)
    after_all = memory(running)
    out, _ = command("export", "gauges", "--fields", HEAD.strip(), "--out", "out.csv", env=env, cwd=folder)
    again, _ = command("import", "gauges", "all.csv", env=env, cwd=folder)
    print(f"one by one           {single:8.0f} records a second")
    print(f"import, a tenth      {part / first:8.0f} rows a second, {part / first / single:.1f} times")
    print(
        f"import, all          {asked.rows / took:8.0f} rows a second, {asked.rows / took / single:.1f} times"
    )
    print(f"import, nothing new  {asked.rows / again:8.0f} rows a second")
    print(f"export               {asked.rows / out:8.0f} rows a second")
    print(f"memory of the service after a tenth and after all: {after_tenth:.0f} and {after_all:.0f} MB")
    print(
        f"memory of the command at its largest, for a tenth and for all: {first_memory:.0f} and {most:.0f} MB"
    )
    print(f"what came out is what went in: {filecmp.cmp(source, result, shallow=False)}")


if __name__ == "__main__":
    main()
