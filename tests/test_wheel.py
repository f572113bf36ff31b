"""The wheel, built from the sources and installed alone, runs the sample with its console."""

from __future__ import annotations

import os
import re
import subprocess
import sys
import venv
from pathlib import Path

import httpx

import support

ROOT = Path(__file__).parent.parent


def test_the_wheel_alone_runs_the_sample_with_its_console(tmp_path: Path) -> None:
    build = [sys.executable, "-m", "build", "--wheel", "--no-isolation", "--outdir", str(tmp_path), str(ROOT)]
    subprocess.run(build, check=True, capture_output=True, cwd=tmp_path)
    wheel = next(tmp_path.glob("fenland-*.whl"))
    venv.create(tmp_path / "alone", with_pip=True)
    python = tmp_path / "alone" / "bin" / "python"
    pip = [str(python), "-m", "pip", "install", "--quiet", "--disable-pip-version-check", "--constraint"]
    subprocess.run([*pip, str(ROOT / "requirements.lock"), str(wheel)], check=True, capture_output=True)
    environment = {name: value for name, value in os.environ.items() if name not in ("PYTHONPATH", "PATH")}
    # No Node, and nothing of the source tree, is within reach.
    environment["PATH"] = str(python.parent)
    original, support.FENLAND = support.FENLAND, str(python.with_name("fenland"))
    saved = dict(os.environ)
    try:
        os.environ.clear()
        os.environ.update(environment)
        running = support.start("demo", tmp_path / "sample", tmp_path / "log")
    finally:
        support.FENLAND = original
        os.environ.clear()
        os.environ.update(saved)
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
