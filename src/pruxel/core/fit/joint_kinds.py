"""What the joints of one skeleton mean beside each other: a word that stands for two bones is told by what is above it.

One calls "shoulder" what another calls "collar", and the next bone down "shoulder"; a "left hip" is where a thigh
begins; a "leg" below a thigh is a shin; the last of a spine is a chest.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import replace

from pruxel.core.base.arrays import AnyArray
from pruxel.core.fit.joint_names import Meaning, meanings

# By side: a bone that no name tells of is the lowest of those whose name may mean it, if something of its limb is told.
_HIDDEN = (("upper arm", "shoulder", ("forearm", "hand")), ("thigh", "hips", ("shin", "foot", "leg")))


def kinds_in(names: Sequence[str], above: AnyArray) -> list[Meaning]:
    """What each joint means; `above` (n,) is the number of the joint above, -1 for none, each after the one above."""
    found = meanings(names)
    for side in ("left", "right"):
        mine = [n for n, one in enumerate(found) if one.side == side]
        for wanted, said, limb in _HIDDEN:
            kinds = {found[n].kind for n in mine}
            spoken = [n for n in mine if found[n].kind == said]
            if wanted not in kinds and spoken and kinds & set(limb):
                lowest = max(spoken, key=lambda n: _depth(n, above))
                found[lowest] = replace(found[lowest], kind=wanted)
        _tell_legs(found, mine, above)
    spine = [n for n, one in enumerate(found) if one.kind == "spine"]
    if len(spine) > 1 and all(one.kind != "chest" for one in found):
        last = max(spine, key=lambda n: _depth(n, above))
        found[last] = replace(found[last], kind="chest")
    return found


def _tell_legs(found: list[Meaning], mine: Sequence[int], above: AnyArray) -> None:
    """A "leg" is a shin where there is a thigh, a thigh where there is a shin; of two, the upper is the thigh."""
    legs = sorted((n for n in mine if found[n].kind == "leg"), key=lambda n: _depth(n, above))
    for n in legs:
        kinds = {found[k].kind for k in mine}
        missing = [kind for kind in ("thigh", "shin") if kind not in kinds]
        if len(missing) == 1 or (missing and len(legs) > 1):
            found[n] = replace(found[n], kind=missing[0])


def _depth(joint: int, above: AnyArray) -> int:
    depth = 0
    while above[joint] >= 0:
        joint, depth = int(above[joint]), depth + 1
    return depth
