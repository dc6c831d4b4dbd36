"""Bring clips in from elsewhere, onto the joints that are there."""

from __future__ import annotations

from dataclasses import replace
from typing import Literal

from pydantic import Field

from pruxel.core.base.context import Context
from pruxel.core.base.errors import ErrorCode, UsageError
from pruxel.core.base.findings import Evidence
from pruxel.core.base.words import counted, some
from pruxel.core.fit.both import both_at
from pruxel.core.fit.ends import ends_of, head_apart, paths_apart, with_ends_held
from pruxel.core.fit.limits import Strain, strain_of
from pruxel.core.fit.pairing import met_joints, moved_by
from pruxel.core.fit.transfer import carried_over, fitted
from pruxel.core.scene.model import Scene
from pruxel.core.steps.choose_clips import chosen_clips
from pruxel.core.steps.references import ClipsEntry, NameText, Reference, WorkpieceId
from pruxel.core.steps.registry import Others, Params, StepResult, joining_step

_SURE = 0.9
_HELD = {"feet": ("foot",), "hands and feet": ("hand", "foot")}
_LEAST_SHARE = 0.25  # of the joints that clips move; fewer are another creature's


class FitClips(Params):
    """Which clips of which entry, and what is known of their joints."""

    entry: ClipsEntry = Field("", title="From", description="path of clips, or of a model that has some")
    workpiece: WorkpieceId = Field(
        "", title="Or from a workpiece", description="with all that was done there: its poses and mended clips"
    )
    clips: tuple[NameText, ...] = Field(
        (), title="Clips", description="by name, `*` stands for any letters; none: all of them"
    )
    pairs: tuple[NameText, ...] = Field(
        (), max_length=2_000, title="Joints", json_schema_extra={"format": "pairs"},
        description="corrections, `theirs = ours`; nothing behind the sign: that joint moves none of ours",
    )  # fmt: skip
    hold: Literal["nothing", "feet", "hands and feet"] = Field(
        "nothing", title="Hold to their paths", description="limbs of other proportions bend until their ends are there"
    )


@joining_step(
    "fit_clips",
    "Bring clips in",
    "Puts clips of another entry on these joints: as they are where the skeletons are one, else carried over.",
    FitClips,
)
def fit_clips(scene: Scene, params: FitClips, context: Context, others: Others) -> StepResult:
    """Pair the joints of both, and carry each chosen clip over.

    Raises `UsageError` for an entry without clips, a scene without joints, and where hardly a joint has a partner.
    """
    context.check()
    if bool(params.entry) == bool(params.workpiece):
        raise UsageError(
            ErrorCode.USAGE, "where the clips come from is not said", field="entry",
            expected="an entry, or a workpiece instead", found="both" if params.entry else "neither",
        )  # fmt: skip
    guest = others[_from(params)]
    chosen = [guest.clips[number] for number in chosen_clips(guest, params.clips)]
    theirs, ours, pairs = met_joints(guest, scene, params.pairs)
    moved = moved_by(guest, chosen)
    met = [pair for pair in pairs if pair.source in moved]
    least = 0 if params.pairs else _LEAST_SHARE * len(moved)
    if len(met) < max(1, least):
        few = f"only {len(met)}" if met else "none"
        raise UsageError(
            ErrorCode.USAGE, f"{few} of the {len(moved)} joints that these clips move has a partner here",
            field="entry",
            expected=f"some of {', '.join(ours.names[:8])}" if ours.names else "a model with joints",
            found=", ".join(sorted(moved)[:8]) or "clips that move no joint",
            hint="Say which joint is which under “Joints”.",
        )  # fmt: skip
    fit = fitted(guest, scene, theirs, ours, pairs)
    made, apart, head, ends, strains = [], 0.0, 0.0, ends_of(fit), [Strain()]
    for clip in chosen:
        context.check()
        done = carried_over(fit, clip)
        if params.hold != "nothing":
            done = with_ends_held(fit, [one for one in ends if one.kind in _HELD[params.hold]], clip, done)
        both = both_at(fit, clip, done)
        apart = max(apart, paths_apart(fit, ends, both))
        head = max(head, head_apart(fit, both))
        strains.append(strain_of(fit, both))
        made += [done] if done.channels else []
    missing = sorted(moved - {pair.source for pair in met})
    words = f"{counted(len(made), 'clip')} of “{guest.name}”, {len(met)} of {len(moved)} joints met"
    if missing:
        words += f"; without a partner: {some(missing, 4)}"
    return StepResult(
        replace(scene, clips=(*scene.clips, *made)), words,
        (
            Evidence("clips brought in", len(made)),
            Evidence("joints met", len(met)),
            Evidence("of them surely", sum(pair.sureness >= _SURE for pair in met)),
            Evidence("joints without a partner", len(missing)),
            Evidence("hands and feet off their paths by", round(100 * apart, 2), "cm"),
            Evidence("the head off its path by", round(100 * head, 2), "cm"),
            Evidence("feet below the ground by", round(100 * max(one.below_ground for one in strains), 2), "cm"),
            Evidence("knees bent the wrong way by", round(max(one.knees_deg for one in strains), 1), "°"),
        ),
    )  # fmt: skip


def _from(params: FitClips) -> Reference:
    return Reference("workpiece", params.workpiece) if params.workpiece else Reference("entry", params.entry)
