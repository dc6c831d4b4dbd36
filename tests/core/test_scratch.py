"""Folders of scratch go, also those that a killed process left."""

import os
import subprocess
import sys
import tempfile
from pathlib import Path

import pytest

from pruxel.core.disk.scratch import scratch_folder

DAY = 24 * 3600
KILLED = """
import os, signal
from pruxel.core.disk.scratch import scratch_folder
with scratch_folder() as folder:
    (folder / "half").write_text("half")
    print(folder, flush=True)
    os.kill(os.getpid(), signal.SIGKILL)
"""


@pytest.fixture(autouse=True)
def temporary(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> Path:
    monkeypatch.setenv("TMPDIR", str(tmp_path))
    monkeypatch.setattr(tempfile, "tempdir", None)
    return tmp_path


def test_it_is_gone_afterwards_whatever_happened(temporary: Path) -> None:
    def fails() -> None:
        with scratch_folder() as folder:
            (folder / "read").write_text("all of it")
            assert folder.parent == temporary
            raise ZeroDivisionError

    with pytest.raises(ZeroDivisionError):
        fails()
    assert not list(temporary.iterdir())


def test_what_a_killed_process_left_goes_a_day_later(temporary: Path) -> None:
    left = Path(subprocess.run([sys.executable, "-c", KILLED], check=False, capture_output=True, text=True).stdout[:-1])
    other = temporary / "another-program"
    other.mkdir()
    with scratch_folder():
        assert (left / "half").exists(), "it may still be in use"
    for old in (left, other):
        times = (old.stat().st_mtime - DAY - 60,) * 2
        os.utime(old, times)
    with scratch_folder() as folder:
        assert folder.exists()
        assert not left.exists()
        assert other.exists(), "what is not ours stays"
