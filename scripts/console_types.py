"""Writes console/src/api/openapi.ts: the types of what the service answers, from its own OpenAPI document.

With --check nothing is written, and a file that is not what would be written ends the run with 1.

The document is one of a single collection that stands for any: its name is a parameter of the paths, and its
records hold anything.
"""

from __future__ import annotations

import subprocess
import sys
import tempfile
from pathlib import Path
from typing import Any

from fenland.core.definitions.reading import definitions_from
from fenland.core.limits import DEFAULTS
from fenland.core.values.plain import write_json
from fenland.web.document import document

CONSOLE = Path(__file__).parents[1] / "console"
TYPES = CONSOLE / "src" / "api" / "openapi.ts"
#: What a record holds besides what the service keeps: not known before its schema is read.
_ANYTHING: dict[str, Any] = {"type": "object", "additionalProperties": {}}


def _document() -> dict[str, Any]:
    some = {"records": {"singular": "Record", "fields": {"any": {"type": "string"}}}}
    found = document(definitions_from(some), "", DEFAULTS)
    here, any_collection = "/v1/records/records", "/v1/records/{collection}"
    paths = {path.replace(here, any_collection): item for path, item in found["paths"].items()}
    name = {"name": "collection", "in": "path", "required": True, "schema": {"type": "string"}}
    for path, item in paths.items():
        if path.startswith(any_collection):
            item["parameters"] = [name, *item.get("parameters", ())]
    schemas = found["components"]["schemas"]
    # Its own field goes, and anything comes in its place; what the service keeps stays.
    record = schemas["Record"]
    del record["properties"]["any"]
    record["required"].remove("any")
    record["additionalProperties"] = {}
    schemas["RecordPatch"] = schemas["RecordNew"] = _ANYTHING
    return {**found, "paths": paths}


def _types() -> str:
    with tempfile.TemporaryDirectory() as folder:
        source, target = Path(folder) / "openapi.json", Path(folder) / "openapi.ts"
        source.write_bytes(write_json(_document()))
        tool = CONSOLE / "node_modules" / ".bin"
        command = [str(tool / "openapi-typescript"), str(source), "--output", str(target)]
        subprocess.run(command, check=True, capture_output=True, cwd=CONSOLE)
        words = [
            str(tool / "prettier"),
            "--config",
            str(CONSOLE / ".prettierrc.json"),
            "--write",
            str(target),
        ]
        subprocess.run(words, check=True, capture_output=True, cwd=CONSOLE)
        head = (
            "/* Written by scripts/console_types.py from the OpenAPI document; not to be edited by hand. */\n"
        )
        return head + target.read_text().split("*/", 1)[1].lstrip()


def main() -> int:
    """See the head of this file."""
    found = _types()
    if "--check" not in sys.argv:
        TYPES.write_text(found)
    elif not TYPES.is_file() or TYPES.read_text() != found:
        sys.stderr.write(f"{TYPES.name} is not what the service answers: run scripts/console_types.py\n")
        return 1
    return 0


if __name__ == "__main__":
    sys.exit(main())
