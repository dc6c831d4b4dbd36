"""Which joint of an entry is which of a scene that is shown."""

from __future__ import annotations

import uuid
from collections.abc import Sequence
from dataclasses import asdict, replace
from typing import Any

from pruxel.core.base.context import Context
from pruxel.core.fit.pairing import corrections, moved_by, pair_joints, skeleton_of
from pruxel.server.jobs.choosing import shown
from pruxel.server.jobs.stacks import opener


def joints_met(project: uuid.UUID, manifest: str, entry: str, lines: Sequence[str]) -> dict[str, Any]:
    """The pairs as the step that brings clips in finds them, and the joints of both sides. Runs aside.

    Raises `InputError` for an entry that cannot be opened, `UsageError` for a correction that is none.
    """
    guest = opener(project).scene([entry], Context())
    theirs, ours = skeleton_of(guest), skeleton_of(replace(shown(manifest), clips=()))
    moved = moved_by(guest, guest.clips)
    return {
        "pairs": [asdict(pair) for pair in pair_joints(theirs, ours, corrections(lines))],
        "theirs": [{"name": name, "moves": name in moved} for name in theirs.names],
        "ours": list(ours.names),
        "clips": [clip.name for clip in guest.clips],
    }
