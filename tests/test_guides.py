"""The guides are tried: their JavaScript and shell run as they stand, against the sample service."""

from __future__ import annotations

import asyncio
import os
import re
import subprocess
import textwrap
from collections.abc import Iterator
from decimal import Decimal
from pathlib import Path

import pytest

from commands import in_shells
from fenland.client import AsyncClient, Client
from support import Running

GUIDES = Path(__file__).parents[1] / "docs" / "guides"


@pytest.fixture(scope="module")
def commands() -> Iterator[Path]:
    with in_shells() as found:
        yield found


def _given(sample: Running) -> dict[str, str]:
    return {**os.environ, "ORIGIN": sample.address, "TOKEN": "sample-office"}


@pytest.mark.parametrize("name", ["single-page-app", "offline-phone"])
def test_the_javascript_of_a_guide_runs(sample: Running, name: str, tmp_path: Path) -> None:
    blocks = re.findall(r"```js\n(.*?)```", (GUIDES / f"{name}.md").read_text(), re.DOTALL)
    assert len(blocks) >= 6
    script = tmp_path / "guide.mjs"
    script.write_text("\n".join(blocks))
    done = subprocess.run(
        ["node", str(script)], env=_given(sample), capture_output=True, text=True, timeout=120
    )
    assert done.returncode == 0, done.stderr


@pytest.mark.parametrize("name", ["changing", "data", "passes"])
def test_the_blocks_of_a_page_run_and_print_what_it_says(
    name: str, tmp_path: Path, request: pytest.FixtureRequest, commands: Path
) -> None:
    given = {**os.environ, "PATH": f"{commands}:{os.environ['PATH']}"}
    if name != "changing":
        sample: Running = request.getfixturevalue("sample")
        given |= {"FENLAND_ADDRESS": sample.address, "FENLAND_TOKEN": "sample-office"}
        given["FENLAND_PROJECT"] = str(sample.folder)
    page = (GUIDES.parent / f"{name}.md").read_text()
    blocks = re.findall(r"```(toml|yaml|csv|sh)\n(.*?)```(?:\n\n```text\n(.*?)```)?", page, re.DOTALL)
    assert len(blocks) >= 10
    for kind, body, expected in blocks:
        if kind == "sh":
            done = subprocess.run(
                ["bash", "-c", body], env=given, cwd=tmp_path, capture_output=True, text=True
            )
            assert done.stdout == expected, f"{body}\n{done.stderr}"
            continue
        # A file: its first line says which.
        head, _, text = body.partition("\n")
        file = tmp_path / head.removeprefix("# ")
        file.parent.mkdir(parents=True, exist_ok=True)
        file.write_text(text)


def test_the_python_of_the_clients_page_runs(sample: Running) -> None:
    page = (GUIDES.parent / "client.md").read_text()
    page = page.replace("http://127.0.0.1:8460", sample.address).replace('token="…"', 'token="sample-office"')
    first, *later, last = re.findall(r"```python\n(.*?)```", page, re.DOTALL)
    known: dict[str, object] = {}
    exec(first, known)
    assert known["station"]["pumps"] == 3  # type: ignore[index]
    with Client(sample.address, "sample-office") as fenland:
        before = fenland.update("tickets", "T-0050", {"priority": 3, "parts": ["fuse"], "hours": 1})
        known |= {"fenland": fenland, "Decimal": Decimal, "AsyncClient": AsyncClient}
        for block in later:
            exec(block.replace("T-0042", "T-0050"), known)
        after = fenland.get("tickets", "T-0050")
    assert (after["hours"], after["parts"], after["due_on"]) == (Decimal("2.50"), ["fuse", "shear pin"], None)
    assert (after["priority"], after.version) == (2, before.version + 2)
    exec("async def work():\n" + textwrap.indent(last, "    "), known)
    asyncio.run(known["work"]())  # type: ignore[operator]


def test_the_calls_of_the_low_code_guide_print_what_it_says(sample: Running, tmp_path: Path) -> None:
    page = (GUIDES / "low-code-form.md").read_text()
    blocks = re.findall(r"```sh\n(.*?)```(?:\n\n```text\n(.*?)```)?", page, re.DOTALL)
    assert len(blocks) >= 8
    # One shell for all, so that what one block sets up the next can use; a mark ends each block's output.
    script = "\n".join(f"{commands}\necho '---'" for commands, _ in blocks)
    done = subprocess.run(
        ["bash", "-c", script], env=_given(sample), cwd=tmp_path, capture_output=True, text=True, timeout=120
    )
    printed = done.stdout.split("---\n")[:-1]
    assert printed == [expected for _, expected in blocks], done.stderr
