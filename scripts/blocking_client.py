"""Writes the blocking client from the asyncio one: each method is written once, there.

With --check nothing is written, and a file that is not what would be written ends the run with 1.
"""

from __future__ import annotations

import re
import subprocess
import sys
from pathlib import Path

CLIENT = Path(__file__).parents[1] / "src" / "fenland" / "client"
#: By each file that is written, the one that it is made of.
MADE = {
    "client.py": "async_client.py",
    "past.py": "async_past.py",
    "subscriptions.py": "async_subscriptions.py",
    "passes.py": "async_passes.py",
}

#: What is told apart by more than a word, one after the other.
_WHERE: tuple[tuple[str, str], ...] = (
    (r"import asyncio\n", ""),
    (r"import builtins\n", "import builtins\nimport time\n"),
    (r"(\w+) = work\(draft\)\n\s+if \1 is not None:\n\s+await \1\n", "work(draft)\n"),
    (r"(?:async )?for (\w+) in (.*):\n\s+yield \1\n", r"yield from \2\n"),
    (r"Awaitable\[None\] \| None", "None"),
    (r"\bAwaitable, ", ""),
    (r"flows\.run_async\((.*), asyncio\.sleep\)", r"flows.run(\1, time.sleep)"),
    (r"\n +`work` may be a coroutine function\.", ""),
    (r"for asyncio programs, whose calls are awaited", "for programs that wait for each answer"),
)
_WORDS: tuple[tuple[str, str], ...] = (
    (r"\basync (def|with|for)\b", r"\1"),
    (r"\bawait ", ""),
    (r"\b[Aa]sync(?=[A-Z])", ""),
    (r"\basync_past\b", "past"),
    (r"\basync_(subscriptions|passes)\b", r"\1"),
    (r"\basync_client\b", "client"),
    (r"\basynccontextmanager\b", "contextmanager"),
    (r"__a(enter|exit)__", r"__\1__"),
    (r"\.a(close|read|iter_bytes)\(", r".\1("),
)
_HEAD = "# Made of {source} by scripts/blocking_client.py: change that, and run this.\n"


def made(source: str) -> str:
    """The blocking twin of a module, as it is to stand."""
    text = (CLIENT / source).read_text()
    for pattern, instead in (*_WHERE, *_WORDS):
        text = re.sub(pattern, instead, text)
    text = _HEAD.format(source=source) + text
    ruff = [str(Path(sys.executable).with_name("ruff"))]
    for step in (["check", "--fix-only", "--quiet"], ["format", "--quiet"]):
        name = ["--stdin-filename", str(CLIENT / source.removeprefix("async_")), "-"]
        found = subprocess.run([*ruff, *step, *name], input=text, capture_output=True, text=True, check=True)
        text = found.stdout
    return text


def main() -> None:
    """Writes the files, or checks them."""
    check = sys.argv[1:] == ["--check"]
    for target, source in MADE.items():
        text = made(source)
        if check and (CLIENT / target).read_text() != text:
            raise SystemExit(f"{target} is not what {source} makes. Run: python scripts/blocking_client.py")
        (CLIENT / target).write_text(text)


if __name__ == "__main__":
    main()
