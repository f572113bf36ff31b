"""Laying the sample project into a folder."""

from __future__ import annotations

import shutil
from collections.abc import Callable
from pathlib import Path

from fenland.core.values.identity import timestamp
from fenland.demo.data import START, WHOLE, Size, fill
from fenland.service.project import Project, load_project
from fenland.storage.door import Made, open_database, remove_database

_FILES = Path(__file__).with_name("project")

#: Present while the database is being filled, so that a broken-off filling is begun anew.
_MARK = "filling"


def lay_sample(
    folder: Path, progress: Callable[[int, int], None], size: Size = WHOLE
) -> tuple[Project, int | None]:
    """The sample project in `folder`, laid and filled if it is not there yet.

    Returns the project and the number of records written, None when they were there before.
    """
    folder.mkdir(parents=True, exist_ok=True)
    for path in sorted(_FILES.rglob("*")):
        target = folder / path.relative_to(_FILES)
        if path.is_dir():
            target.mkdir(exist_ok=True)
        elif not target.exists():
            shutil.copyfile(path, target)
    project = load_project(folder)
    path, mark = project.settings.database, folder / _MARK
    if path.exists() and not mark.exists():
        return project, None
    mark.touch()
    remove_database(path)
    database = open_database(path, project.definitions, made=Made(timestamp(START), via="demo"))
    try:
        count = fill(project.definitions, database, progress, size)
    finally:
        database.close()
    mark.unlink()
    return project, count
