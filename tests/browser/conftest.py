"""The whole application as `make demo` starts it, on a data folder of its own, and a browser on it."""

from __future__ import annotations

import os
import re
import shutil
import signal
import subprocess
import sys
import time
from collections.abc import Iterator
from pathlib import Path

import pytest
from selenium import webdriver

from pruxel.server.postgres import cluster_folder
from tests.browser.driver import Page, start_browser


@pytest.fixture(scope="session")
def application(game: Path, tmp_path_factory: pytest.TempPathFactory) -> Iterator[str]:
    """The printed address. Ctrl-C must end everything, which is checked too."""
    data = tmp_path_factory.mktemp("demo")
    (data / "mounts").mkdir()
    (data / "samples").mkdir()
    (data / "samples" / game.parent.name).symlink_to(game.parent)
    log = data / "log"
    roots = f'["{game.parent.resolve()}", "{data}/samples", "{data}/mounts"]'
    env = os.environ | {"PRUXEL_DATA_FOLDER": str(data), "PRUXEL_ROOTS": roots, "PRUXEL_PORT": "18737"}
    env["PRUXEL_PICTURES_AHEAD"] = "false"  # half of the processor's time, for what no test looks at
    env.pop("PRUXEL_DATABASE_URL", None)
    with log.open("wb") as out:
        process = subprocess.Popen([sys.executable, "-m", "pruxel.server.demo"], env=env, stdout=out, stderr=out)
    deadline = time.monotonic() + 400
    while (found := re.search(r"http://\S+key=\S+", log.read_text())) is None:
        assert process.poll() is None, log.read_text()
        assert time.monotonic() < deadline, log.read_text()
        time.sleep(0.2)
    yield found[0]
    process.send_signal(signal.SIGINT)
    assert process.wait(200) == 0, log.read_text()
    assert "stopped" in log.read_text()
    shutil.rmtree(cluster_folder(data))


@pytest.fixture(scope="session")
def mounts(application: str, tmp_path_factory: pytest.TempPathFactory) -> Path:
    """A folder that may be mounted."""
    return next(Path(tmp_path_factory.getbasetemp()).glob("demo*/mounts"))


@pytest.fixture(scope="session")
def browser(tmp_path_factory: pytest.TempPathFactory) -> Iterator[webdriver.Chrome]:
    """One browser for all; each test finds it as new."""
    driver = start_browser(tmp_path_factory.mktemp("browser"))
    yield driver
    driver.quit()


@pytest.fixture
def page(application: str, browser: webdriver.Chrome, tmp_path: Path, request: pytest.FixtureRequest) -> Iterator[Page]:
    """A window that remembers nothing, just arrived by the printed link.

    One without WebGL for tests that are marked as `flat`: they look at nothing that it draws, and it takes most of the
    processor here.
    """
    page = Page(browser)
    flat = request.node.get_closest_marker("flat") is not None
    page.begin(application, tmp_path, flat=flat)
    yield page
    errors = page.errors()
    page.forget()
    expected = ["404", "422", "403", *(["WebGL context"] if flat else [])]
    assert [error for error in errors if not any(words in error for words in expected)] == []
