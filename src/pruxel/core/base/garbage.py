"""How often a process of ours looks for rings of objects that nobody holds any more."""

from __future__ import annotations

import gc

# Python looks each 700 new objects; a level of 9,000 parts makes a hundred thousand, and nearly none is garbage.
_SELDOM = (50_000, 20, 50)


def look_seldom() -> None:
    """Look for garbage seldom: reading many small things takes a quarter less time. Called once a process."""
    gc.set_threshold(*_SELDOM)
