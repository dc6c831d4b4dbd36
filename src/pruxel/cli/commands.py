"""`pruxel sample`, `inspect` and `convert`."""

from __future__ import annotations

import sys
from dataclasses import asdict
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
from pruxel.cli.told import told
from pruxel.cli.written import (
    FormatOption,
    PurposeOption,
    ToOption,
    options_from,
    plan_from,
    print_report,
    purpose_named,
    why_unproven,
)
from pruxel.core.base.context import Context
from pruxel.core.base.errors import ErrorCode, ProofError, UsageError
from pruxel.core.base.writing import make_folder

if TYPE_CHECKING:
    from pruxel.core.recipe.inputs import Opener
    from pruxel.core.scene.model import Scene


def sample(
    folder: Annotated[Path, typer.Argument(metavar="DIR")],
    *,
    seed: Annotated[int, typer.Option(help="other seeds give other shapes")] = 1,
    version: Annotated[int, typer.Option(min=1, max=2, help="the game before or after its second update")] = 1,
    scale: Annotated[int, typer.Option(min=0, max=1_000_000, help="entries of an extra pack for load work")] = 0,
) -> None:
    """Write the files of the made-up game Brinepost."""
    from pruxel.sample.build import write_sample

    def report(fraction: float, message: str) -> None:
        sys.stderr.write(f"\r{fraction:4.0%} {message:60.60}")

    with told():
        write_sample(folder, seed, report, version, scale)
    sys.stderr.write("\n")


def described(scene: Scene, kind: str, context: Context) -> dict[str, Any]:
    """What `inspect` prints."""
    import pruxel.core.findings  # noqa: F401 - registers all rules
    from pruxel.core.extract.clips import extent_of
    from pruxel.core.findings.registry import find
    from pruxel.core.scene.measure import measure
    from pruxel.core.scene.walk import joint_tree

    facts = measure(scene)
    return {
        "kind": kind,
        "meshes": [
            {
                "name": p.name,
                "vertices": p.vertices,
                "triangles": p.triangles,
                "area": p.area,
                "materials": list(p.materials),
            }
            for p in facts.parts
        ],
        "bounds": {"min": list(facts.minimum), "max": list(facts.maximum)},
        "area": facts.area,
        "materials": list(facts.materials),
        "textures": list(facts.textures),
        "joints": facts.joints,
        "skeleton": [{"name": name, "depth": depth} for name, depth in joint_tree(scene)],
        "clips": [
            {"name": clip.name, "seconds": round(extent[0], 4), "frames": extent[1]}
            for clip in scene.clips
            for extent in (extent_of(clip.channels),)
        ],
        "notes": list(scene.notes),
        "findings": [asdict(f) for f in find(scene, context)],
    }


def inspect(
    sources: Sources,
    *,
    entry: Annotated[str, typer.Option("--entry", help="path of the entry")],
    profile: ProfileOption = None,
    layout: LayoutOption = None,
    language: LanguageOption = None,
    key: KeyOption = None,
    names: NamesOption = None,
    as_json: JsonOption = False,
) -> None:
    """Tell what an entry holds and what is wrong with it."""
    from pruxel.cli.workspace import Given, check_there, open_stack
    from pruxel.core.recipe.inputs import Opener

    context = Context()
    given = Given(profile, layout, language, key, names)
    with told():
        stack = open_stack(sources, given, context)
        check_there(stack, [entry])
        found = described(Opener(stack).scene([entry], context), str(stack.entries[entry].kind), context)
    if as_json:
        print_json(found)
        return
    for mesh in found["meshes"]:
        words = f"{mesh['name']}: {mesh['triangles']:,} triangles, {', '.join(mesh['materials'])}"
        console.print(words, highlight=False)
    low, high = found["bounds"]["min"], found["bounds"]["max"]
    console.print("size " + " x ".join(f"{b - a:.4g}" for a, b in zip(low, high, strict=True)) + " m")
    if found["skeleton"]:
        console.print(f"{found['joints']} joints")
        for joint in found["skeleton"]:
            console.print(f"  {'  ' * joint['depth']}{joint['name']}", highlight=False)
    for clip in found["clips"]:
        console.print(f"clip {clip['name']}: {clip['seconds']:.2f} s, {clip['frames']} frames", highlight=False)
    for note in found["notes"]:
        console.print(note, highlight=False)
    for finding in found["findings"]:
        console.print(f"[yellow]{finding['severity']}[/] {finding['title']}. {finding['detail']}")


def convert(
    sources: Sources,
    *,
    entry: Annotated[
        list[str],
        typer.Option("--entry", help="path of an entry; several go side by side into one file, clips onto them"),
    ],
    to: ToOption = None,
    out: Annotated[Path, typer.Option("--out", help="folder to write into")],
    profile: ProfileOption = None,
    layout: LayoutOption = None,
    language: LanguageOption = None,
    key: KeyOption = None,
    names: NamesOption = None,
    recipe: Annotated[Path | None, typer.Option("--recipe", help="steps to run")] = None,
    option: FormatOption = None,
    purpose: PurposeOption = None,
    per: Annotated[str | None, typer.Option("--per", help="a file for each part, or for each material")] = None,
    clips: Annotated[str | None, typer.Option("--clips", help="all, apart or none")] = None,
    textures: Annotated[
        str | None, typer.Option("--textures", help="png, jpeg, tga, webp, dds, dds-bc7 or none; as they are without")
    ] = None,
    as_json: JsonOption = False,
) -> None:
    """Convert entries, prove the files, print the report."""
    from pruxel.cli.workspace import Given, check_there, open_stack
    from pruxel.core.deliver.deliver import deliver
    from pruxel.core.deliver.proof import Outcome
    from pruxel.core.recipe.inputs import Opener

    context = Context()
    given = Given(profile, layout, language, key, names)
    with told():
        chosen = purpose_named(purpose)
        formats_wanted = to or list(chosen.formats if chosen is not None else ())
        if not formats_wanted:
            raise UsageError(ErrorCode.USAGE, "nothing says what to write", expected="--to FORMAT, or --purpose NAME")
        stack = open_stack(sources, given, context)
        check_there(stack, entry)
        opener = Opener(stack)
        scene = opener.scene(entry, context)
        if recipe is not None:
            scene = _after_recipe(scene, recipe, opener, entry, context)
        make_folder(out)
        plan = plan_from(chosen, {"files": per, "clips": clips, "textures": textures})
        report = deliver(
            [scene],
            entry[0].rsplit("/", 1)[-1].rsplit(".", 1)[0],
            formats_wanted,
            out,
            context,
            options_from(option or [], formats_wanted, chosen),
            plan,
        )
        for note in scene.notes:
            sys.stderr.write(f"pruxel: {note}\n")
    if as_json:
        print_json(report.as_dict())
    else:
        print_report(report.as_dict())
    if report.outcome is not Outcome.PROVEN:
        with told():
            raise ProofError(ErrorCode.PROOF_FAILED, why_unproven(report), file=str(out))


def formats(*, as_json: JsonOption = False) -> None:
    """List the formats: what each reads, writes, carries, and its options."""
    from pruxel.core.formats import every  # noqa: F401 - registers all formats
    from pruxel.core.formats.registry import CARRIABLE, FORMATS

    listed = [
        {
            "name": f.name,
            "title": f.title,
            "extensions": list(f.extensions),
            "reads": f.read is not None,
            "writes": f.write is not None,
            "carries": [key for key in CARRIABLE if key in f.carries],
            "judges": list(f.judges),
            "options": f.options.model_json_schema().get("properties", {}),
        }
        for f in FORMATS
    ]
    if as_json:
        print_json(listed)
        return
    for one in listed:
        how = " and ".join(word for word, does in (("read", one["reads"]), ("written", one["writes"])) if does)
        console.print(f"{one['name']:6} {one['title']} ({how})", highlight=False)
        for name, schema in dict(one["options"]).items():
            choices = " | ".join(map(str, schema.get("enum", []))) or schema.get("type", "")
            console.print(f"       {name}={schema['default']}  {choices}  {schema['description']}", highlight=False)


def _after_recipe(scene: Scene, recipe: Path, opener: Opener, entries: list[str], context: Context) -> Scene:
    from pruxel.core.disk.files import read_text
    from pruxel.core.knowledge.meant import meant_in
    from pruxel.core.recipe.cache import MemoryCache
    from pruxel.core.recipe.document import load_recipe
    from pruxel.core.recipe.library import EntryLibrary
    from pruxel.core.recipe.run import run_recipe

    steps = load_recipe(read_text(recipe), recipe.name).steps
    aside = meant_in(opener.stack.profile.spec.meant_so, entries)
    run = run_recipe(scene, steps, MemoryCache(), context, library=EntryLibrary(opener), aside=aside)
    for one in run.runs:
        if one.fault is not None:
            raise UsageError(ErrorCode.USAGE, f"step '{one.use.step}': {one.fault.line()}")
    return run.scene
