"""Bad files beside good ones, a database that dies, and a second start: what a person sees of it."""

from __future__ import annotations

import os
import signal
import subprocess
import sys
import time
from pathlib import Path

import pytest
from selenium.webdriver.common.keys import Keys

from pruxel.server.postgres import cluster_folder
from soak.application import _processes
from tests import bad_files
from tests.browser.driver import Page
from tests.browser.test_sources_and_browse import search, wait_for_total

# What became of an entry's picture: its key, null while it waits, an empty text when it cannot be drawn.
_FATE = """
const [name, done] = arguments;
fetch(`/api/projects/${location.pathname.split('/')[1]}/entries?search=${encodeURIComponent(name)}`)
  .then((answer) => answer.json())
  .then((found) => done(found.entries.find((entry) => entry.path === name)?.picture));
"""


def test_the_good_are_there_with_pictures_and_the_bad_say_why(page: Page, mounts: Path) -> None:
    folder = mounts / "mixed"
    folder.mkdir()
    bad_files.make(folder)
    page.see(page.test("entry"))
    page.keys("1")
    page.see(page.test("project-name")).send_keys("Mixed")
    page.click(page.test("create-project"))
    page.see("main", "Nothing is mounted yet")
    page.see(page.test("mount-path")).send_keys(str(folder), Keys.ENTER)
    page.see(page.test("source"), "mixed")
    page.see(page.test("source"), "z good.zip")
    page.driver.execute_script("document.activeElement.blur()")
    page.keys("2")
    page.see(page.test("entry"))
    page.click("[data-kind=all]")
    search(page, "good")
    wait_for_total(page, len(bad_files.GOOD))
    for name in bad_files.GOOD:
        page.see(f"[data-path='{name}'] img[src*='/api/blobs/']")
    # What somebody looks at is drawn first, whatever else waits to be.
    for name in ("bad its own child.glb", "bad short tuple.glb", "bad vast.png", "bad cut.png"):
        search(page, name.replace("bad ", ""))
        page.see(f"[data-path='{name}']")
        page._wait.until(lambda d, n=name: d.execute_async_script(_FATE, n) == "", f"{name} is not given up on")
    page.driver.execute_script("document.activeElement.blur()")
    page.keys("1")
    page.click(page.test("tab-problems"))
    page.see(page.test("problem"), "bad cut.zip")
    wanted = {
        "bad noise.7z",
        "its own child",
        "short tuple",
        "bad vast.png",
        "bad cut.png",
        "nobody would see",
    }
    deadline = time.monotonic() + 240
    while lacking := {words for words in wanted if words not in page.text()}:
        assert time.monotonic() < deadline, f"{lacking} are not told: {page.text()[:3000]}"
        time.sleep(1)
    shown = page.text()
    assert "mistake of ours" not in shown
    assert "Traceback" not in shown
    page.driver.refresh()
    page.see(page.test("problem"), "bad cut.zip")
    page.click(page.test("tab-stack"))
    page.see(page.test("source"), "z good.zip")


def _running(mounts: Path, role: str) -> list[int]:
    data = mounts.parent
    return [one.pid for one in _processes(str(data), str(cluster_folder(data))) if one.role == role]


@pytest.mark.flat
def test_a_database_that_dies_is_said_and_comes_back(page: Page, mounts: Path) -> None:
    page.see(page.test("entry"))
    # Whoever starts it again is held up meanwhile: on a quick machine nobody would see that it was away.
    starter = _running(mounts, "start")
    for pid in starter:
        os.kill(pid, signal.SIGSTOP)
    try:
        for pid in _running(mounts, "database"):
            os.kill(pid, signal.SIGKILL)
        page.see(page.test("away"), "database is away")
    finally:
        for pid in starter:
            os.kill(pid, signal.SIGCONT)
    page.gone(page.test("away"))
    page.keys("1")
    page.see(page.test("source"))
    page.driver.refresh()
    page.see(page.test("source"))
    page.keys("2")
    page.see(page.test("entry"))
    # The browser's console calls answers that say so severe; they are meant here.
    page.driver.get_log("browser")


def test_a_second_start_says_who_runs_and_where(application: str, mounts: Path) -> None:
    env = os.environ | {"PRUXEL_DATA_FOLDER": str(mounts.parent), "PRUXEL_PORT": "18738"}
    env.pop("PRUXEL_DATABASE_URL", None)
    done = subprocess.run(
        [sys.executable, "-m", "pruxel.server.demo"], env=env, capture_output=True, text=True, timeout=300, check=False
    )
    assert done.returncode == 0
    assert "runs already" in done.stdout
    assert application.split("?", maxsplit=1)[0] in done.stdout
    assert "Traceback" not in done.stderr
