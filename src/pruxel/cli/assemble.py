"""`pruxel assemble`: things made of parts, put together."""

from __future__ import annotations

from pathlib import Path
from typing import TYPE_CHECKING, Annotated

import typer

from pruxel.cli.options import (
    JsonOption,
    KeyOption,
    LanguageOption,
    LayoutOption,
    NamesOption,
    ProfileOption,
    console,
    print_json,
)
from pruxel.cli.steps import keep_steps, tell_item, wish_of
from pruxel.cli.told import told
from pruxel.cli.written import FormatOption, PurposeOption, ToOption
from pruxel.core.base.context import Context
from pruxel.core.base.errors import ErrorCode, UsageError

if TYPE_CHECKING:
    from pruxel.core.knowledge.slots import Slot
    from pruxel.core.recipe.document import StepUse
    from pruxel.core.sources.stack import Stack


def assemble(
    source: Annotated[str, typer.Argument(metavar="SOURCE", help="a file, folder or pack")],
    entry: Annotated[list[str], typer.Argument(metavar="ENTRY...", help="the skeleton or model that has the slots")],
    *,
    wear: Annotated[
        list[str] | None, typer.Option("--wear", metavar="SLOT=ENTRY", help="path or name of what goes there")
    ] = None,
    keep: Annotated[Path | None, typer.Option("--keep", help="write the steps as a recipe into this file")] = None,
    to: ToOption = None,
    option: FormatOption = None,
    purpose: PurposeOption = None,
    out: Annotated[Path | None, typer.Option("--out", help="folder to deliver into")] = None,
    profile: ProfileOption = None,
    layout: LayoutOption = None,
    language: LanguageOption = None,
    key: KeyOption = None,
    names: NamesOption = None,
    as_json: JsonOption = False,
) -> None:
    """Put something made of parts together; without --wear, tell its slots and what may stand in each."""
    from pruxel.cli.workspace import Given, check_there, open_stack
    from pruxel.core.batch.work import Item, work_on
    from pruxel.core.recipe.inputs import Opener

    with told():
        stack = open_stack([source], Given(profile, layout, language, key, names), Context())
        check_there(stack, entry)
        slots = _slots(stack, entry[0])
        found = None
        if wear:
            name = _title(entry[0])
            wish = wish_of(_uses(slots, wear), to, option, purpose, out)
            found = work_on(Opener(stack), Item(name, tuple(entry), ""), wish, Context())
            if keep is not None:
                keep_steps(keep, name, wish.steps)
    if found is not None:
        tell_item(found, as_json=as_json)
    elif as_json:
        print_json([{"name": one.name, "variants": [vars(variant) for variant in one.variants]} for one in slots])
    else:
        _print_slots(slots)


def _slots(stack: Stack, entry: str) -> list[Slot]:
    """The slots of an entry; raises `UsageError` when it has none."""
    from pruxel.cli.workspace import matching
    from pruxel.core.knowledge.kinds import Kind
    from pruxel.core.knowledge.patterns import matches
    from pruxel.core.knowledge.slots import slots_of

    models = [found.path for found in matching(stack, None, Kind.MODEL)]
    slots = slots_of(entry, stack.profile.spec.slots, lambda pattern: [p for p in models if matches(p, [pattern])])
    if not slots:
        raise UsageError(
            ErrorCode.USAGE, f"'{entry}' has no slots", expected="a profile with 'slots', or parts beside it",
            found=f"{len(models):,} models", hint="docs/profiles.md tells how a profile names them.",
        )  # fmt: skip
    return slots


def _uses(slots: list[Slot], wear: list[str]) -> tuple[StepUse, ...]:
    """A step for each slot that is to be filled; raises `UsageError` that names what could be meant."""
    from pruxel.core.knowledge.slots import filling
    from pruxel.core.recipe.document import StepUse

    uses = []
    for said in wear:
        name, _, wanted = said.partition("=")
        slot = next((one for one in slots if one.name == name), None)
        if slot is None:
            raise UsageError(
                ErrorCode.USAGE, f"there is no slot '{name}' here",
                expected=", ".join(one.name for one in slots), found=said,
            )  # fmt: skip
        paths = [one.path for one in slot.variants if wanted in {one.path, _title(one.path)}]
        if wanted and not paths:
            raise UsageError(
                ErrorCode.USAGE, f"nothing called '{wanted}' goes into '{name}'",
                expected=", ".join(_title(one.path) for one in slot.variants[:12]), found=said,
            )  # fmt: skip
        uses.append(StepUse(step="fill_slot", params=filling(slot, paths[0] if wanted else "")))
    return tuple(uses)


def _title(path: str) -> str:
    return path.rsplit("/", 1)[-1].rsplit(".", 1)[0]


def _print_slots(slots: list[Slot]) -> None:
    for slot in slots:
        console.print(f"[bold]{slot.name}[/]" + (f", on {slot.hangs_on}" if slot.hangs_on else ""), highlight=False)
        for one in slot.variants:
            console.print(f"  {_title(one.path):20} {one.sureness:4.0%}  {one.path}: {one.why}", highlight=False)
