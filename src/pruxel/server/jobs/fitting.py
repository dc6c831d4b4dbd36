"""Which joint of an entry is which of a scene that is shown, and where joints are when some are turned and pulled."""

from __future__ import annotations

import uuid
from collections.abc import Sequence
from dataclasses import asdict
from typing import Any

from pruxel.core.base.context import Context
from pruxel.core.fit.pairing import Skeleton, known_pairs, met_joints, moved_by
from pruxel.core.steps.motion.pose import Pose, stands, start_of
from pruxel.core.steps.references import Reference
from pruxel.server.jobs.choosing import shown
from pruxel.server.jobs.view import ProjectLibrary


def joints_met(
    project: uuid.UUID, manifest: str, whose: Reference, lines: Sequence[str], kept: Sequence[str]
) -> dict[str, Any]:
    """The pairs as the step that brings clips in finds them, and the joints of both sides as they rest. Runs aside.

    `known` are what pairs `kept` for the game say of these two.

    Raises `InputError` for what cannot be opened, `UsageError` for a correction that is none.
    """
    guest = ProjectLibrary(project).scene(whose, Context())
    theirs, ours, pairs = met_joints(guest, shown(manifest), lines)
    moved = moved_by(guest, guest.clips)
    return {
        "pairs": [asdict(pair) for pair in pairs],
        "theirs": [one | {"moves": one["name"] in moved} for one in _rests(theirs)],
        "ours": _rests(ours),
        "clips": [clip.name for clip in guest.clips],
        "known": known_pairs(kept, theirs.names, ours.names),
    }


def _rests(skeleton: Skeleton) -> list[dict[str, Any]]:
    rows = zip(skeleton.names, skeleton.above.tolist(), skeleton.places.tolist(), strict=True)
    return [{"name": name, "above": above, "place": place} for name, above, place in rows]


def joints_posed(manifest: str, wanted: Pose) -> list[dict[str, Any]]:
    """Where the nodes stand that a pose places otherwise than its start does, each in its parent. Runs aside.

    Raises `UsageError` for a clip or a joint that is not there.
    """
    start = start_of(shown(manifest), wanted)
    made = stands(start, wanted, Context())
    return [
        {"joint": now.name, "translation": now.translation, "rotation": now.rotation}
        for was, now in zip(start.nodes, made.nodes, strict=True)
        if (was.translation, was.rotation) != (now.translation, now.rotation)
    ]
