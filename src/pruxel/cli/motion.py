"""`pruxel clips`, `fit` and `pose`: what clips there are, those of one body on another, and single moments."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import asdict, replace
from pathlib import Path
from typing import TYPE_CHECKING, Annotated, Any

import typer

from pruxel.cli.options import (
    JsonOption,
    KeyOption,
    LanguageOption,
    LayoutOption,
    NamesOption,
    ProfileOption,
    Sources,
    console,
    print_json,
)
from pruxel.cli.steps import end_with, tell_item, wish_of
from pruxel.cli.told import told
from pruxel.cli.written import FormatOption, PurposeOption, ToOption
from pruxel.core.base.context import Context
from pruxel.core.base.errors import ErrorCode, UsageError

if TYPE_CHECKING:
    from pruxel.core.batch.items import ItemTold
    from pruxel.core.recipe.document import StepUse
    from pruxel.core.recipe.inputs import Opener
    from pruxel.core.scene.model import Scene

# The rules that look at clips.
_RULES = (
    "additive_clips", "growing_joints", "jumping_keys", "open_loops", "other_build", "sliding_feet", "still_ends",
    "turned_root", "wrong_pace",
)  # fmt: skip
EntryOption = Annotated[
    list[str], typer.Option("--entry", help="path of a model with clips; several go together, clips onto a model")
]
OutOption = Annotated[Path | None, typer.Option("--out", help="folder to deliver into")]


def clips(
    sources: Sources,
    *,
    entry: EntryOption,
    profile: ProfileOption = None,
    layout: LayoutOption = None,
    language: LanguageOption = None,
    key: KeyOption = None,
    names: NamesOption = None,
    as_json: JsonOption = False,
) -> None:
    """Tell the clips of entries: length, rate, keys, what they move, and what is wrong with them."""
    from pruxel.cli.workspace import Given, check_there, open_stack
    from pruxel.core.recipe.inputs import Opener

    context = Context()
    with told():
        stack = open_stack(sources, Given(profile, layout, language, key, names), context)
        check_there(stack, entry)
        found = _told(Opener(stack).scene(entry, context), context)
    if as_json:
        print_json(found)
        return
    for one in found["clips"]:
        rate = f"{one['rate']:g} keys a second" if one["rate"] else "keys at no even rate"
        words = f"{one['name']}: {one['seconds']:.2f} s, {rate}, {one['keys']:,} keys on {one['nodes']} nodes"
        console.print(words, highlight=False)
    if not found["clips"]:
        console.print("no clips")
    for finding in found["findings"]:
        console.print(f"[yellow]{finding['severity']}[/] {finding['title']}. {finding['detail']}")


def _told(scene: Scene, context: Context) -> dict[str, Any]:
    import pruxel.core.findings  # noqa: F401 - registers all rules
    from pruxel.core.findings.registry import RULES
    from pruxel.core.scene.motion import facts_of

    findings = [asdict(one) for rule in _RULES for one in RULES.get(rule).look(scene, context)]
    return {"clips": [asdict(facts_of(clip)) for clip in scene.clips], "findings": findings}


def fit(
    sources: Sources,
    *,
    clips_of: Annotated[str, typer.Option("--clips", metavar="ENTRY", help="path of clips, or of a model with some")],
    on: Annotated[str, typer.Option("--on", metavar="ENTRY", help="path of the model that shall move so")],
    clip: Annotated[list[str] | None, typer.Option("--clip", help="name of a clip, * for any letters")] = None,
    pair: Annotated[
        list[str] | None, typer.Option("--pair", metavar="THEIRS=OURS", help="a joint that is another's; repeatable")
    ] = None,
    to: ToOption = None,
    option: FormatOption = None,
    purpose: PurposeOption = None,
    out: OutOption = None,
    profile: ProfileOption = None,
    layout: LayoutOption = None,
    language: LanguageOption = None,
    key: KeyOption = None,
    names: NamesOption = None,
    as_json: JsonOption = False,
) -> None:
    """Carry clips over onto another model's joints, tell which joint was taken for which, and deliver it."""
    from pruxel.cli.workspace import Given
    from pruxel.core.fit.pairing import known_pairs, met_joints, moved_by, skeleton_of
    from pruxel.core.recipe.document import StepUse

    said = list(pair or [])

    def uses(opener: Opener) -> list[StepUse]:
        theirs, ours = (skeleton_of(opener.scene([one], Context())).names for one in (clips_of, on))
        # What a person says now counts more than what the profile keeps.
        said[:0] = known_pairs(opener.stack.profile.spec.joints, theirs, ours)
        return [StepUse(step="fit_clips", params={"entry": clips_of, "clips": clip or [], "pairs": said})]

    with told():
        opener, found = _worked(
            sources, Given(profile, layout, language, key, names), [on], uses, (to, option, purpose, out), [clips_of]
        )
        guest = opener.scene([clips_of], Context())
        _, _, met_pairs = met_joints(guest, opener.scene([on], Context()), said)
        moved = moved_by(guest, guest.clips)
        pairs = [asdict(one) for one in met_pairs]
        met = {one["source"] for one in pairs}
        unmet = sorted(name for name in moved if name not in met)
    if as_json:
        print_json({"pairs": pairs, "without_a_partner": unmet, "item": found.as_dict()})
        end_with([found])
        return
    for one in pairs:
        console.print(f"{one['source']} = {one['target']}  {one['sureness']:.0%}, {one['why']}", highlight=False)
    for name in unmet:
        console.print(f"[yellow]without a partner[/] {name}", highlight=False)
    tell_item(found, as_json=False)


def pose(
    sources: Sources,
    *,
    entry: EntryOption,
    clip: Annotated[str, typer.Option("--clip", help="the clip that it starts from; without: as it rests")] = "",
    at: Annotated[float, typer.Option("--at", min=0, help="the moment of that clip, in seconds")] = 0.0,
    turn: Annotated[
        list[str] | None, typer.Option("--turn", metavar="JOINT=X,Y,Z", help="degrees about its axes; repeatable")
    ] = None,
    pull: Annotated[
        list[str] | None, typer.Option("--pull", metavar="JOINT=X,Y,Z", help="metres in the world; repeatable")
    ] = None,
    name: Annotated[str, typer.Option("--name", help="what the pose is kept as, among the clips")] = "pose",
    freeze: Annotated[bool, typer.Option("--freeze", help="make it a thing that does not move")] = False,
    to: ToOption = None,
    option: FormatOption = None,
    purpose: PurposeOption = None,
    out: OutOption = None,
    profile: ProfileOption = None,
    layout: LayoutOption = None,
    language: LanguageOption = None,
    key: KeyOption = None,
    names: NamesOption = None,
    as_json: JsonOption = False,
) -> None:
    """Pose a model at a moment of a clip, by turning and pulling joints, and deliver it, frozen where that is asked."""
    from pruxel.cli.workspace import Given
    from pruxel.core.recipe.document import StepUse

    with told():
        turns = [{"joint": joint, "turn": numbers} for joint, numbers in _of_joints(turn, "turn")]
        pulls = [{"joint": joint, "to": numbers} for joint, numbers in _of_joints(pull, "pull")]
        params = {"name": name, "clip": clip, "at": at, "turns": turns, "pulls": pulls}
        uses = [StepUse(step="pose", params=params)]
        if freeze:
            uses.append(StepUse(step="freeze_pose", params={"clip": name}))
        _, found = _worked(
            sources, Given(profile, layout, language, key, names), entry, lambda _: uses, (to, option, purpose, out)
        )
    tell_item(found, as_json=as_json)


def _worked(
    sources: list[str],
    given: Any,  # noqa: ANN401 - its room is imported when a command runs
    entries: list[str],
    uses: Callable[[Opener], Sequence[StepUse]],
    written: tuple[list[str] | None, list[str] | None, str | None, Path | None],
    also: Sequence[str] = (),
) -> tuple[Opener, ItemTold]:
    """Steps on entries, delivered where that is asked; `also` are entries that must be there."""
    from pruxel.cli.workspace import check_there, open_stack
    from pruxel.core.batch.work import Item, work_on
    from pruxel.core.recipe.inputs import Opener

    stack = open_stack(sources, given, Context())
    check_there(stack, [*entries, *also])
    opener = Opener(stack)
    wish = wish_of(tuple(uses(opener)), *written)
    item = Item(entries[0].rsplit("/", 1)[-1].rsplit(".", 1)[0], tuple(entries), "")
    # Nothing is delivered that is not what was asked for.
    found = work_on(opener, item, replace(wish, strict=True), Context())
    refused = next((told_step.fault for told_step in found.steps if told_step.fault), "") or found.fault
    if refused:
        raise UsageError(ErrorCode.USAGE, refused)
    return opener, found


def _of_joints(texts: list[str] | None, field: str) -> list[tuple[str, list[float]]]:
    """`head=0,20,0` as the joint and its three numbers; raises `UsageError` for what is none."""
    found = []
    for text in texts or []:
        joint, sign, numbers = text.rpartition("=")
        try:
            values = [float(number) for number in numbers.split(",")]
        except ValueError:
            values = []
        if not sign or not joint or len(values) != 3:
            raise UsageError(
                ErrorCode.USAGE, "this is no joint with three numbers", field=field, expected="JOINT=X,Y,Z", found=text
            )
        found.append((joint, values))
    return found
