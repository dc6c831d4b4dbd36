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
from pruxel.cli.proving import print_proof
from pruxel.cli.told import told
from pruxel.core.base.context import Context
from pruxel.core.base.errors import ErrorCode, InputError, ProofError, UsageError
from pruxel.core.base.writing import make_folder

if TYPE_CHECKING:
    from pruxel.core.deliver.deliver import Report
    from pruxel.core.deliver.plan import Plan
    from pruxel.core.deliver.purposes import Purpose
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
    from pruxel.cli.workspace import Given, open_stack
    from pruxel.core.recipe.inputs import Opener

    context = Context()
    given = Given(profile, layout, language, key, names)
    with told():
        stack = open_stack(sources, given, context)
        if entry not in stack.entries:
            raise InputError(ErrorCode.NOT_FOUND, f"there is no entry '{entry}'", hint="List the entries first.")
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
    to: Annotated[
        list[str] | None,
        typer.Option("--to", help="a format, see `pruxel formats`; may be repeated; needed without a purpose"),
    ] = None,
    out: Annotated[Path, typer.Option("--out", help="folder to write into")],
    profile: ProfileOption = None,
    layout: LayoutOption = None,
    language: LanguageOption = None,
    key: KeyOption = None,
    names: NamesOption = None,
    recipe: Annotated[Path | None, typer.Option("--recipe", help="steps to run")] = None,
    option: Annotated[
        list[str] | None,
        typer.Option("--option", help="up=z for every format that has it, fbx.up=z for one; may be repeated"),
    ] = None,
    purpose: Annotated[
        str | None,
        typer.Option("--purpose", help="a start for the rest: edit, render, engine, paint, print, archive"),
    ] = None,
    per: Annotated[str | None, typer.Option("--per", help="a file for each part, or for each material")] = None,
    clips: Annotated[str | None, typer.Option("--clips", help="all, apart or none")] = None,
    textures: Annotated[
        str | None, typer.Option("--textures", help="png, jpeg, tga, webp, dds, dds-bc7 or none; as they are without")
    ] = None,
    as_json: JsonOption = False,
) -> None:
    """Convert entries, prove the files, print the report."""
    from pruxel.cli.workspace import Given, open_stack
    from pruxel.core.deliver.deliver import deliver
    from pruxel.core.deliver.proof import Outcome
    from pruxel.core.recipe.inputs import Opener

    context = Context()
    given = Given(profile, layout, language, key, names)
    with told():
        chosen = _purpose(purpose)
        formats_wanted = to or list(chosen.formats if chosen is not None else ())
        if not formats_wanted:
            raise UsageError(ErrorCode.USAGE, "nothing says what to write", expected="--to FORMAT, or --purpose NAME")
        stack = open_stack(sources, given, context)
        missing = [path for path in entry if path not in stack.entries]
        if missing:
            raise InputError(ErrorCode.NOT_FOUND, f"there is no entry '{missing[0]}'", hint="List the entries first.")
        scene = Opener(stack).scene(entry, context)
        if recipe is not None:
            scene = _after_recipe(scene, recipe, context)
        make_folder(out)
        plan = _plan(chosen, {"files": per, "clips": clips, "textures": textures})
        report = deliver(
            [scene],
            entry[0].rsplit("/", 1)[-1].rsplit(".", 1)[0],
            formats_wanted,
            out,
            context,
            _options(option or [], formats_wanted, chosen),
            plan,
        )
        for note in scene.notes:
            sys.stderr.write(f"pruxel: {note}\n")
    if as_json:
        print_json(report.as_dict())
    else:
        _print_report(report.as_dict())
    if report.outcome is not Outcome.PROVEN:
        with told():
            raise ProofError(ErrorCode.PROOF_FAILED, _why_unproven(report), file=str(out))


def _purpose(name: str | None) -> Purpose | None:
    from pruxel.core.deliver.purposes import PURPOSES

    return None if name is None else PURPOSES.get(name)


def _plan(purpose: Purpose | None, said: dict[str, str | None]) -> Plan:
    """The purpose's plan with what the command says of its own."""
    from pruxel.core.deliver.plan import plan_of

    if said["files"] is not None:
        said["files"] = f"per {said['files']}"
    started = {} if purpose is None else purpose.plan.model_dump()
    return plan_of(started | {key: value for key, value in said.items() if value is not None})


def _options(given: list[str], formats: list[str], purpose: Purpose | None) -> dict[str, dict[str, Any]]:
    """Options by format: the purpose's, then `name=value` and `format.name=value`.

    Raises `UsageError` for one that no format has.
    """
    from pruxel.core.formats.registry import FORMATS

    started = {} if purpose is None else purpose.options
    found: dict[str, dict[str, Any]] = {name: dict(started.get(name, {})) for name in formats}
    for one in given:
        where, equals, value = one.partition("=")
        only, dot, name = where.rpartition(".")
        takers = [f for f in formats if (not dot or f == only) and name in FORMATS.get(f).options.model_fields]
        if not equals or not takers:
            known = sorted({n for f in formats for n in FORMATS.get(f).options.model_fields})
            raise UsageError(
                ErrorCode.USAGE,
                "no format that is written has this option",
                expected="name=value, of " + (", ".join(known) or "none"),
                found=one,
            )
        for f in takers:
            found[f][name] = value
    return found


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


def _after_recipe(scene: Scene, recipe: Path, context: Context) -> Scene:
    from pruxel.core.disk.files import read_text
    from pruxel.core.recipe.cache import MemoryCache
    from pruxel.core.recipe.document import load_recipe
    from pruxel.core.recipe.run import run_recipe

    run = run_recipe(scene, load_recipe(read_text(recipe), recipe.name).steps, MemoryCache(), context)
    for one in run.runs:
        if one.fault is not None:
            raise UsageError(ErrorCode.USAGE, f"step '{one.use.step}': {one.fault.line()}")
    return run.scene


def _why_unproven(report: Report) -> str:
    proofs = [proof for found in report.formats for proof in found.proofs]
    failed = [f"{check.what}: {check.read}" for proof in proofs for check in proof.checks if not check.passed]
    if failed:
        return f"a file did not read back as it was written ({failed[0]})"
    missing = next(proof for proof in proofs if proof.not_made)
    return f"the files are written but not proven: {missing.not_made}"


def _print_report(report: dict[str, Any]) -> None:
    for word in report["told"]:
        console.print(f"changed: {word}", highlight=False)
    for found in report["formats"]:
        console.print(
            f"[bold]{found['main']}[/]  {sum(f['size'] for f in found['files']):,} bytes in {len(found['files'])} files"
        )
        for word in found["left_out"]:
            console.print(f"  left out: {word}")
        for proof in found["proofs"]:
            print_proof(proof)
