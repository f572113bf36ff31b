"""Debian's Chromium, headless, kept from asking anything outside."""

from __future__ import annotations

import shutil

from playwright.sync_api import Browser, Playwright

_QUIET = (
    "--no-sandbox", "--disable-gpu", "--disable-quic", "--no-first-run", "--disable-background-networking",
    "--disable-component-update", "--disable-sync",
)  # fmt: skip


def chromium(playwright: Playwright) -> Browser:
    path = shutil.which("chromium")
    assert path is not None, "Chromium is not installed; scripts/chromium.sh does it."
    return playwright.chromium.launch(executable_path=path, args=list(_QUIET))
