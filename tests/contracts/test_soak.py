"""A short soak: mixed use while processes are killed and disks fill up; every promise holds."""

from __future__ import annotations

from pathlib import Path

from soak.run import Span, soak

SPAN = Span(seconds=15, acts=20, kills=3)


def test_promises_hold_through_kills_and_full_disks(game: Path, tmp_path: Path) -> None:
    found = soak(tmp_path, game, SPAN, seed=11, number=3, port=18765)
    assert found.broken == []
    assert found.acts >= SPAN.acts
    assert sum(found.kills.values()) > SPAN.kills
