"""The wheel, built from the sources and installed alone, runs the sample with its console."""

from __future__ import annotations

import os
import re
import subprocess
import sys
import sysconfig
import venv
from collections.abc import Sequence
from pathlib import Path

import httpx

from support import NIGHTLY, start

ROOT = Path(__file__).parent.parent


def _installed(wheel: Path, place: Path) -> Path:
    """The Python of a new environment with the wheel, and what it says that it needs."""
    venv.create(place, with_pip=NIGHTLY)
    python = place / "bin" / "python"
    if NIGHTLY:
        lock = ["--constraint", str(ROOT / "requirements.lock")]
        pip = [str(python), "-m", "pip", "--quiet", "--disable-pip-version-check", "install", *lock]
        subprocess.run([*pip, str(wheel)], check=True, capture_output=True)
        return python
    pip = [sys.executable, "-m", "pip", "--python", str(python), "--quiet", "--disable-pip-version-check"]
    subprocess.run([*pip, "install", "--no-deps", str(wheel)], check=True, capture_output=True)
    # What others wrote is here already: lent, and whether it is all that the wheel names is asked.
    lent = sysconfig.get_path("purelib")
    Path(sysconfig.get_path("purelib", vars={"base": str(place)}), "lent.pth").write_text(lent + "\n")
    subprocess.run([*pip, "check"], check=True, capture_output=True)
    found = subprocess.run(
        [python, "-c", "import fenland; print(fenland.__file__)"], capture_output=True, text=True
    )
    assert found.stdout.startswith(str(place))
    return python


def test_the_wheel_alone_runs_the_sample_with_its_console(tmp_path: Path) -> None:
    build = [sys.executable, "-m", "build", "--wheel", "--no-isolation", "--outdir", str(tmp_path), str(ROOT)]
    subprocess.run(build, check=True, capture_output=True, cwd=tmp_path)
    wheel = next(tmp_path.glob("fenland-*.whl"))
    python = _installed(wheel, tmp_path / "alone")
    environment = {name: value for name, value in os.environ.items() if name not in ("PYTHONPATH", "PATH")}
    # No Node, and nothing of the source tree, is within reach.
    environment["PATH"] = str(python.parent)

    def begin(words: Sequence[str], log: Path) -> subprocess.Popen[bytes]:
        command = [str(python.with_name("fenland")), *words]
        with log.open("ab") as out:
            return subprocess.Popen(command, stdout=out, stderr=out, env=environment, start_new_session=True)

    running = start("demo", tmp_path / "sample", tmp_path / "log", begin=begin)
    try:
        page = httpx.get(running.address, headers={"Accept": "text/html"})
        assert page.status_code == 200
        assert "default-src 'self'" in page.headers["Content-Security-Policy"]
        script = re.search(r'src="\.(/assets/[^"]+\.js)"', page.text)
        assert script is not None
        code = httpx.get(running.address + script[1])
        assert code.status_code == 200
        assert "javascript" in code.headers["Content-Type"]
        assert len(code.content) > 100_000
        with running.client() as client:
            assert client.get("/v1/records/stations/PS-014").json()["code"] == "PS-014"
    finally:
        assert running.stop() == 0
