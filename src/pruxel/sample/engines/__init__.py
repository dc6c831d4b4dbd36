"""What three generations of the game's engine left behind: one thing in each way of storing it that they had.

Each generation is a module that writes its bytes by itself; each format has a layout among those of the profile.
"""

from __future__ import annotations

from pruxel.sample.engines import deep, swell, tide


def engine_files() -> dict[str, bytes]:
    """All files by path."""
    return tide.files() | swell.files() | deep.files()
