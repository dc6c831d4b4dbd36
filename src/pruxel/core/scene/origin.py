"""Where an element of a scene came from."""

from __future__ import annotations

from dataclasses import dataclass


@dataclass(frozen=True)
class Origin:
    """The entry, the record path inside it, and the byte range, as far as known; `found` is how the entry was found."""

    entry: str = ""
    record: str = ""
    start: int | None = None
    end: int | None = None
    conventions: str = ""
    found: str = ""
