"""Debian's Chromium, headless, kept from asking anything outside."""

from __future__ import annotations

import json
import shutil
from collections.abc import Iterator
from contextlib import contextmanager
from pathlib import Path

from playwright.sync_api import Browser, Page, Playwright, expect

# A busy machine takes its time: it is not what is tested.
expect.set_options(timeout=60_000)

_QUIET = (
    "--no-sandbox", "--disable-gpu", "--disable-quic", "--no-first-run", "--disable-background-networking",
    "--disable-component-update", "--disable-sync",
)  # fmt: skip


def chromium(playwright: Playwright) -> Browser:
    path = shutil.which("chromium-headless-shell")
    assert path is not None, "Chromium's headless shell is not installed; scripts/chromium.sh does it."
    return playwright.chromium.launch(executable_path=path, args=list(_QUIET))


@contextmanager
def opened_page(browser: Browser, address: str) -> Iterator[Page]:
    """A page of the console, which knows nothing of other pages; nothing in it may throw unseen."""
    context = browser.new_context(viewport={"width": 1280, "height": 800}, base_url=address)
    found = context.new_page()
    found.set_default_timeout(60_000)
    broken: list[str] = []
    found.on("pageerror", lambda error: broken.append(str(error)))
    yield found
    context.close()
    assert not broken


#: Gives a tab its token once, as the form does: who signs out stays out.
_GIVEN = """(() => {
  try {
    if (sessionStorage.getItem("given")) return;
    sessionStorage.setItem("given", "yes");
    sessionStorage.setItem("fenland.token", TOKEN);
  } catch {
    // A page of no origin keeps nothing.
  }
})()"""


def signed_in(page: Page, token: str = "sample-office") -> None:
    """Has the console know the account from the page that is opened next."""
    page.add_init_script(_GIVEN.replace("TOKEN", json.dumps(token)))


def sign_in(page: Page, token: str = "sample-office") -> None:
    """Opens the console, which knows the account."""
    signed_in(page, token)
    page.goto("/")
    expect(page.get_by_role("navigation", name="Collections")).to_be_visible()


#: Nothing more has been answered for a while; the stream of changes never is.
_AT_REST = """async () => {
  const answered = () => performance.getEntriesByType("resource").length;
  for (let last = -1, same = 0; same < 4; same = answered() === last ? same + 1 : 0, last = answered())
    await new Promise((done) => setTimeout(done, 100));
}"""


def come_to_rest(page: Page) -> None:
    """Waits until the page has come to rest."""
    page.evaluate(_AT_REST)


_AXE = Path(__file__).parents[1] / "console" / "node_modules" / "axe-core" / "axe.min.js"


def without_fault(page: Page) -> None:
    """Nothing that axe finds, and nothing beside the screen."""
    assert page.evaluate("document.documentElement.scrollWidth <= innerWidth"), page.url
    page.evaluate(_AXE.read_text())
    found = page.evaluate(
        "axe.run().then((one) => one.violations.map((each) => [each.id, each.nodes.map((node) => node.html)]))"
    )
    assert found == [], page.title()
