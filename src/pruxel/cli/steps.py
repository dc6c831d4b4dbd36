"""`pruxel step` and `pruxel batch`: the Bench's steps, once and for forty others."""

from __future__ import annotations

import sys
from dataclasses import replace
from pathlib import Path
from typing import TYPE_CHECKING, Annotated, Any

import typer

from pruxel.cli.options import (
    JsonOption,
    KeyOption,
    LanguageOption,
    LayoutOption,
    MatchOption,
    NamesOption,
    ProfileOption,
    Sources,
    console,
    print_json,
)
from pruxel.cli.told import EXIT_INPUT, EXIT_PROOF, told
from pruxel.cli.written import FormatOption, PurposeOption, ToOption, options_from, plan_from, purpose_named
from pruxel.core.base.context import Context
from pruxel.core.base.errors import ErrorCode, InputError, UsageError
from pruxel.core.base.writing import make_folder, write_below

if TYPE_CHECKING:
    from pruxel.core.batch.items import ItemTold
    from pruxel.core.batch.work import Wish
    from pruxel.core.recipe.document import StepUse
    from pruxel.core.recipe.inputs import Opener

_REPORT_AGAIN = 1.05
RecipeOption = Annotated[Path | None, typer.Option("--recipe", help="a recipe's file: its steps run first")]
DoOption = Annotated[
    list[str] | None,
    typer.Option(
        "--do",
        metavar="STEP [NAME=VALUE…]",
        help="a step with its parameters, in quotes where they have spaces; may be repeated",
    ),
]


def step(
    sources: Annotated[list[str] | None, typer.Argument(metavar="[SOURCE...]")] = None,
    *,
    entry: Annotated[list[str] | None, typer.Option("--entry", help="path of an entry; may be repeated")] = None,
    do: DoOption = None,
    recipe: RecipeOption = None,
    mend: Annotated[bool, typer.Option("--mend", help="then follow what findings propose, until none does")] = False,
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
    """Run steps on entries and tell what each did; without anything, list the steps there are."""
    if not sources:
        with told():
            _list_steps(as_json=as_json)
        return
    from pruxel.cli.workspace import Given, check_there, open_stack
    from pruxel.core.batch.work import Item, work_on
    from pruxel.core.recipe.inputs import Opener

    with told():
        if not entry:
            raise UsageError(ErrorCode.USAGE, "nothing says what to work on", expected="--entry PATH")
        uses = _steps(recipe, do)
        wish = wish_of(uses, to, option, purpose, out)
        stack = open_stack(sources, Given(profile, layout, language, key, names), Context())
        name = entry[0].rsplit("/", 1)[-1].rsplit(".", 1)[0]
        check_there(stack, entry)
        opener = Opener(stack)
        if mend:
            wish = replace(wish, steps=(*uses, *_mending(opener, entry, uses)))
        found = work_on(opener, Item(name, tuple(entry), ""), wish, Context())
        if keep is not None:
            keep_steps(keep, name, wish.steps)
    tell_item(found, as_json=as_json)


def batch(
    sources: Sources,
    *,
    match: MatchOption = None,
    kind: Annotated[str, typer.Option("--kind", help="kind of the entries")] = "model",
    recipe: RecipeOption = None,
    do: DoOption = None,
    to: ToOption = None,
    option: FormatOption = None,
    purpose: PurposeOption = None,
    out: Annotated[Path | None, typer.Option("--out", help="folder to deliver and report into")] = None,
    dry: Annotated[bool, typer.Option("--dry", help="only tell what each step would do")] = False,
    resume: Annotated[bool, typer.Option("--resume", help="leave out what the report in --out says is done")] = False,
    before: Annotated[Path | None, typer.Option("--before", help="an earlier report: tell what is other now")] = None,
    workers: Annotated[int, typer.Option("--workers", min=1, max=64, help="processes that share the work")] = 2,
    profile: ProfileOption = None,
    layout: LayoutOption = None,
    language: LanguageOption = None,
    key: KeyOption = None,
    names: NamesOption = None,
    as_json: JsonOption = False,
) -> None:
    """Run a recipe on every entry that matches; one that fails does not stop the others."""
    from pruxel.cli.workspace import Given, matching, open_stack, opener_of
    from pruxel.core.batch.compare import compare_batches
    from pruxel.core.batch.work import items_of, read_report, work_side_by_side, write_report
    from pruxel.core.disk.files import read_text

    with told():
        uses = _steps(recipe, do)
        wish = wish_of(uses, to, option, purpose, None if dry else out)
        earlier = () if before is None else read_report(read_text(before), before.name)
        given = Given(profile, _fixed(layout), language, _fixed(key), _fixed(names))
        items = items_of([found.path for found in matching(open_stack(sources, given, Context()), match, kind)])
        if not items:
            raise InputError(ErrorCode.NOT_FOUND, "no entry matches", found=match, hint="List the entries first.")
        done = _done(out) if resume and out is not None else {}
        results = {item.folder: done[item.entries] for item in items if item.entries in done}
        todo = [item for item in items if item.folder not in results]
        if out is not None and not dry:
            make_folder(out)
        kept = len(results)
        folder_of = {item.entries: item.folder for item in items}
        for one in work_side_by_side(opener_of, (tuple(sources), given), todo, wish, workers):
            results[folder_of[one.entries]] = one
            sys.stderr.write(f"{len(results):>5} of {len(items)}  {one.entries[0]}  {one.fault or _short(one)}\n")
            # Whole each time, but after so many more that all of it is written a few dozen times at most.
            if wish.out is not None and len(results) >= kept * _REPORT_AGAIN:
                write_report(wish.out, list(results.values()), wish.steps)
                kept = len(results)
        listed = [results[item.folder] for item in items]
        if wish.out is not None:
            write_report(wish.out, listed, wish.steps)
        differences = compare_batches(earlier, listed) if before is not None else {}
    if as_json:
        print_json({"items": [one.as_dict() for one in listed], "differences": differences})
    else:
        _print_table(listed)
        for name, lines in differences.items():
            console.print(f"[bold]{name}[/]: " + "; ".join(lines), highlight=False)
    end_with(listed)


def _fixed(values: list[Any] | None) -> tuple[Any, ...] | None:
    return None if values is None else tuple(values)


def _list_steps(*, as_json: bool) -> None:
    import pruxel.core.steps  # noqa: F401 - registers all steps
    from pruxel.core.steps.registry import STEPS

    found = [
        {
            "name": s.name,
            "title": s.title,
            "group": s.group,
            "about": s.about,
            "parameters": s.params.model_json_schema(),
        }
        for s in STEPS
    ]
    if as_json:
        print_json(found)
        return
    for one in found:
        console.print(f"[bold]{one['name']:18}[/] {one['about']}", highlight=False)
        for name in one["parameters"].get("properties", {}):
            console.print(f"{'':18}   {name}", highlight=False)


def _steps(recipe: Path | None, do: list[str] | None) -> tuple[StepUse, ...]:
    """The recipe's steps, then those of the command."""
    from pruxel.cli.said import said
    from pruxel.core.disk.files import read_text
    from pruxel.core.recipe.document import load_recipe

    first = () if recipe is None else load_recipe(read_text(recipe), recipe.name).steps
    return (*first, *(said(text) for text in do or ()))


def tell_item(found: ItemTold, *, as_json: bool) -> None:
    """Say what became of one item, and end with the code for it."""
    if as_json:
        print_json(found.as_dict())
    else:
        _print_item(found)
    end_with([found])


def wish_of(
    uses: tuple[StepUse, ...],
    to: list[str] | None,
    option: list[str] | None,
    purpose: str | None,
    out: Path | None,
) -> Wish:
    """What is done and written; raises `UsageError` when nothing says what."""
    from pruxel.core.batch.work import Wish
    from pruxel.core.formats import every  # noqa: F401 - registers all formats

    chosen = purpose_named(purpose)
    formats = to or list(chosen.formats if chosen is not None else ())
    if out is not None and not formats:
        raise UsageError(ErrorCode.USAGE, "nothing says what to write", expected="--to FORMAT, or --purpose NAME")
    wish = Wish(uses, tuple(formats), options_from(option or [], formats, chosen), plan_from(chosen, {}), out)
    wish.check()
    return wish


def _mending(opener: Opener, entry: list[str], uses: tuple[StepUse, ...]) -> tuple[StepUse, ...]:
    """What findings propose after the steps."""
    from pruxel.core.knowledge.meant import meant_in
    from pruxel.core.recipe.cache import MemoryCache
    from pruxel.core.recipe.library import EntryLibrary
    from pruxel.core.recipe.mend import mending
    from pruxel.core.recipe.run import run_recipe

    library = EntryLibrary(opener)
    aside = meant_in(opener.stack.profile.spec.meant_so, entry)
    run = run_recipe(opener.scene(entry, Context()), uses, MemoryCache(), Context(), library=library, aside=aside)
    return mending(run.scene, Context(), aside)


def keep_steps(path: Path, name: str, uses: tuple[StepUse, ...]) -> None:
    """Write steps as a recipe into a file."""
    from pruxel.core.recipe.document import Recipe, recipe_text

    folder = path.resolve().parent
    make_folder(folder)
    write_below(folder, path.name, [recipe_text(Recipe(name=name, steps=uses)).encode()])


def _done(out: Path) -> dict[tuple[str, ...], ItemTold]:
    from pruxel.core.batch.work import REPORT, read_report
    from pruxel.core.disk.files import read_text

    report = out / REPORT
    if not report.is_file():
        return {}
    return {one.entries: one for one in read_report(read_text(report), REPORT) if one.state == "done"}


def _short(one: ItemTold) -> str:
    passed = sum(bool(step.fault) for step in one.steps)
    words = [f"{one.triangles:,} triangles", f"{len(one.findings)} findings left"]
    words += [f"{passed} steps did not fit"] if passed else []
    return ", ".join([*words, one.delivered] if one.delivered else words)


def _print_item(one: ItemTold) -> None:
    if one.fault:
        console.print(f"[bold]{one.name}[/]  {one.fault}", highlight=False)
        return
    for told_step in one.steps:
        words = f"[yellow]did not fit:[/] {told_step.fault}" if told_step.fault else told_step.summary
        console.print(f"[bold]{told_step.title}[/]: {words}", highlight=False)
    console.print(f"{one.name}: {_short(one)}", highlight=False)
    for title in one.findings:
        console.print(f"  [yellow]left[/] {title}", highlight=False)


def _print_table(items: list[ItemTold]) -> None:
    from rich.table import Table

    table = Table("item", "triangles", "steps", "left", "delivery", box=None)
    for one in items:
        did = sum(not step.idle for step in one.steps)
        steps = one.fault or f"{did} of {len(one.steps)} did something"
        faults = [step.fault for step in one.steps if step.fault]
        table.add_row(
            one.name, f"{one.triangles:,}", "; ".join([steps, *faults]), str(len(one.findings)), one.delivered
        )
    console.print(table)


def end_with(items: list[ItemTold]) -> None:
    """End with the code of the worst that happened."""
    if any(one.state == "failed" for one in items):
        raise typer.Exit(EXIT_INPUT)
    if any(one.delivered not in {"", "proven"} for one in items):
        raise typer.Exit(EXIT_PROOF)
