"""The kit with which people test their own projects, by the tests that its page shows, and what else it promises."""

from __future__ import annotations

import re
from pathlib import Path
from typing import Any

import pytest
import structlog

from fenland.client import NotSignedInError
from fenland.core.definitions.model import DefinitionMistakes
from fenland.testing import Trial

PAGE = (Path(__file__).parents[1] / "docs" / "testing.md").read_text()
[LOANS], [SHOWN] = (re.findall(rf"```{kind}\n(.*?)```", PAGE, re.S) for kind in ("yaml", "python"))
TESTS = re.findall(r"^def (test_\w+)", SHOWN, re.M)


@pytest.fixture
def library(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> Path:
    folder = tmp_path / "library"
    (folder / "collections").mkdir(parents=True)
    (folder / "collections" / "loans.yaml").write_text(LOANS)
    (folder / "fenland.toml").write_text('roles = ["desk", "reader"]\n')
    monkeypatch.chdir(tmp_path)
    return folder


@pytest.mark.parametrize("name", TESTS)
def test_what_the_page_shows_passes(library: Path, name: str) -> None:
    shown: dict[str, Any] = {}
    exec(compile(SHOWN, "docs/testing.md", "exec"), shown)
    with Trial(library, now="2031-04-09T09:00:00Z") as trial:
        shown[name](trial)
    assert sorted(path.name for path in library.iterdir()) == ["collections", "fenland.toml"]


def test_each_trial_begins_anew_and_knows_seeds_data_and_strangers(library: Path) -> None:
    (library / "seeds").mkdir()
    (library / "seeds" / "loans.csv").write_text("code,tool\nL-007,plane\n")
    for _ in range(2):
        with Trial(library, seeds=True) as trial:
            ada = trial.account("ada", "desk", area="north")
            assert ada.create("loans", {"tool": "saw"})["code"] == "L-008"
            assert trial.account("ada") is ada
            with pytest.raises(NotSignedInError):
                trial.nobody().get("loans", "L-007")
    fields = {"a": {"type": "string"}}
    access = {right: ["everyone"] for right in ("read", "create", "update")}
    with Trial({"notes": {"fields": fields, "access": access}}, now="2031-04-09T09:00:00+02:00") as trial:
        note = trial.account("ada").create("notes", {"a": "x"})
        assert note["created_at"] == "2031-04-09T07:00:00.000000Z"
        trial.clock.set("2031-04-08T00:00:00Z")
        # The history never goes back.
        assert (
            trial.account("ada").update("notes", note["id"], {"a": "y"})["updated_at"] == note["created_at"]
        )


def test_what_is_logged_is_as_it_was_once_it_is_closed() -> None:
    before = structlog.get_config()
    with Trial({"notes": {"fields": {"a": {"type": "string"}}}}):
        assert structlog.get_config() != before
    assert structlog.get_config() == before


def test_a_project_with_mistakes_says_them_and_leaves_nothing(
    tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    monkeypatch.setattr("tempfile.tempdir", str(tmp_path))
    with pytest.raises(DefinitionMistakes, match="has no type"):
        Trial({"notes": {"fields": {"a": {}}}})
    assert list(tmp_path.iterdir()) == []
