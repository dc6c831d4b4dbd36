"""Single keys at which a joint jumps away and back: broken angles, turns taken the wrong way round."""

from __future__ import annotations

from collections.abc import Iterator

from pruxel.core.base.context import Context
from pruxel.core.base.findings import Evidence, Finding, Severity, SuggestedStep
from pruxel.core.base.words import some
from pruxel.core.findings.registry import rule
from pruxel.core.scene.jumps import JUMP_DEG, jumping_keys
from pruxel.core.scene.model import Scene

_NAMED = 4


@rule("jumping_keys", "Clips with keys that jump away and back")
def find_jumping_keys(scene: Scene, context: Context) -> Iterator[Finding]:
    """Look, in each track of turns, for single keys far from both their neighbours, which are near to each other."""
    for clip in scene.clips:
        context.check()
        found = [(channel, jumping_keys(channel)) for channel in clip.channels]
        found = [(channel, keys) for channel, keys in found if len(keys)]
        if not found:
            continue
        count = sum(len(keys) for _, keys in found)
        joints = [scene.nodes[channel.node].name for channel, _ in found]
        first, keys = found[0]
        yield Finding(
            rule="jumping_keys",
            severity=Severity.WARNING,
            title=f"“{clip.name}” jerks: {count} keys jump away and back",
            detail="For one key a joint turns far away, and at the next it is where it was. It flickers when it plays.",
            evidence=(
                Evidence("keys", count),
                Evidence("joints", some(joints, _NAMED)),
                Evidence("the first at", round(float(first.times[keys[0]]), 3), "s"),
                Evidence("told from", JUMP_DEG, "°"),
            ),
            suggestion=SuggestedStep("drop_jumps", {"clips": [clip.name]}, f"Drop {count} keys of “{clip.name}”"),
        )
