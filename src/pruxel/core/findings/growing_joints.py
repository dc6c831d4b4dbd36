"""Clips that change the sizes of joints: many programs lose that; where it is uneven, what turns below is sheared."""

from __future__ import annotations

from collections.abc import Iterator

from pruxel.core.base.context import Context
from pruxel.core.base.findings import Evidence, Finding, Severity, SuggestedStep
from pruxel.core.base.words import some
from pruxel.core.findings.registry import rule
from pruxel.core.scene.growing import growth_of
from pruxel.core.scene.model import Scene

_LEAST = 0.02
_NAMED = 4


@rule("growing_joints", "Clips that change the sizes of joints")
def find_growing_joints(scene: Scene, context: Context) -> Iterator[Finding]:
    """Measure each track of scale against how its joint rests; what hangs on it matters where it grows unevenly."""
    for clip in scene.clips:
        context.check()
        sizes = [one for one in clip.channels if one.path == "scale" and scene.nodes[one.node].mesh is None]
        grown = [(channel, growth_of(scene, channel)) for channel in sizes]
        grown = [(channel, growth) for channel, growth in grown if growth.most > _LEAST]
        if not grown:
            continue
        shears = [channel for channel, growth in grown if growth.uneven > _LEAST and scene.nodes[channel.node].children]
        names = [scene.nodes[channel.node].name for channel, _ in grown]
        largest = max(growth.most for _, growth in grown)
        uneven = max(growth.uneven for _, growth in grown)
        if shears:
            title = f"“{clip.name}” sizes joints unevenly: what turns below them is sheared"
            detail = (
                "A turn below an uneven size is no turn any more: programs that keep places, turns and sizes lose it."
            )
        else:
            title = f"“{clip.name}” changes the sizes of joints, by up to {largest:.0%}"
            detail = "Many engines play turns and ways alone; there it would not grow. It may be meant so."
        yield Finding(
            rule="growing_joints",
            severity=Severity.WARNING if shears else Severity.NOTE,
            title=title,
            detail=detail,
            evidence=(
                Evidence("joints", some(names, _NAMED)),
                Evidence("off their size by up to", round(100 * largest, 1), "%"),
                Evidence("more along one axis by", round(100 * uneven, 1), "%"),
                Evidence("told from", round(100 * _LEAST), "%"),
            ),
            suggestion=SuggestedStep(
                "settle_sizes",
                {"clips": [clip.name], "how": "even them out" if shears else "take them out"},
                f"Make the sizes of “{clip.name}” even" if shears else f"Take the sizes out of “{clip.name}”",
            ),
        )
