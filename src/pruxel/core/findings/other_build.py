"""Clips that were made for a body of other bones: played as they are, they stretch this one."""

from __future__ import annotations

from collections.abc import Iterator

import numpy as np

from pruxel.core.base.context import Context
from pruxel.core.base.findings import Evidence, Finding, Severity, SuggestedStep
from pruxel.core.findings.registry import rule
from pruxel.core.scene.bones import bones_in
from pruxel.core.scene.model import Scene

_APART, _LEAST, _SHARE = 0.05, 3, 0.5


@rule("other_build", "Clips of another body's build")
def find_other_builds(scene: Scene, context: Context) -> Iterator[Finding]:
    """Compare how long a clip has bones with how long they are, where joints do not move along them."""
    for clip in scene.clips:
        context.check()
        bones = [bone for bone in bones_in(scene, clip) if bone.stiff]
        other = [bone for bone in bones if abs(bone.ratio - 1) > _APART]
        if len(other) < _LEAST or len(other) < _SHARE * len(bones):
            continue
        ratio = float(np.median([bone.ratio for bone in other]))
        worst = max(other, key=lambda bone: abs(np.log(max(bone.ratio, 1e-6))))
        words = f"{ratio:.0%} as long" if abs(ratio - 1) > _APART else "of other lengths"
        yield Finding(
            rule="other_build",
            severity=Severity.WARNING,
            title=f"“{clip.name}” is of another build: its bones are {words}",
            detail="The clip brings its own lengths of bones along. Played here it stretches or shrinks the model.",
            evidence=(
                Evidence("bones of another length", len(other)),
                Evidence("of those that the clip tells", len(bones)),
                Evidence("as long as here, most of them", round(100 * ratio, 1), "%"),
                Evidence("farthest off", scene.nodes[worst.channel.node].name),
                Evidence("its length", round(100 * worst.ratio, 1), "%"),
                Evidence("told from", round(100 * _APART), "%"),
            ),
            suggestion=SuggestedStep("keep_bones", {"clips": [clip.name]}, f"Keep this model's bones in “{clip.name}”"),
        )
