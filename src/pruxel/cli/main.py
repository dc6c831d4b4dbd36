"""`pruxel`: the same way as in the browser, for scripts. Options and output fields are a contract."""

from __future__ import annotations

import sys
from dataclasses import asdict
from pathlib import Path
from typing import Annotated, Any

import typer

import pruxel.core.findings  # noqa: F401 - registers all rules
from pruxel.cli.entries import carve, diff, extract, list_entries
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
from pruxel.cli.server import migrate, openapi, serve, worker
from pruxel.cli.workspace import Given, open_stack, told
from pruxel.core.base.context import Context
from pruxel.core.base.errors import ErrorCode, InputError, ProofError, UsageError
from pruxel.core.deliver.deliver import Report, deliver
from pruxel.core.deliver.proof import Outcome
from pruxel.core.findings.registry import find
from pruxel.core.recipe.document import load_recipe
from pruxel.core.recipe.inputs import Opener
from pruxel.core.recipe.run import MemoryCache, run_recipe
from pruxel.core.scene.measure import measure
from pruxel.core.scene.model import Scene
from pruxel.core.sources.files import read_text

app = typer.Typer(
    no_args_is_help=True,
    add_completion=False,
    help="From game files to a proven 3D file.",
    pretty_exceptions_enable=False,
)
app.command()(serve)
app.command()(worker)
app.command()(migrate)
app.command(hidden=True)(openapi)

app.command("list")(list_entries)
app.command()(extract)
app.command()(carve)
app.command()(diff)


@app.command()
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
    facts = measure(scene)
    findings = find(scene, context)
    return {
        "kind": kind,
        "meshes": [
            {"name": p.name, "vertices": p.vertices, "triangles": p.triangles, "materials": list(p.materials)}
            for p in facts.parts
        ],
        "bounds": {"min": list(facts.minimum), "max": list(facts.maximum)},
        "materials": list(facts.materials),
        "textures": list(facts.textures),
        "joints": facts.joints,
        "clips": list(facts.clips),
        "findings": [asdict(f) for f in findings],
    }


@app.command()
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
        console.print(f"{mesh['name']}: {mesh['triangles']:,} triangles, {', '.join(mesh['materials'])}")
    low, high = found["bounds"]["min"], found["bounds"]["max"]
    console.print("size " + " x ".join(f"{b - a:.4g}" for a, b in zip(low, high, strict=True)) + " m")
    for finding in found["findings"]:
        console.print(f"[yellow]{finding['severity']}[/] {finding['title']}. {finding['detail']}")


@app.command()
def convert(
    sources: Sources,
    *,
    entry: Annotated[list[str], typer.Option("--entry", help="path of an entry; may be repeated")],
    to: Annotated[list[str], typer.Option("--to", help="glb, gltf or obj; may be repeated")],
    out: Annotated[Path, typer.Option("--out", help="folder to write into")],
    profile: ProfileOption = None,
    layout: LayoutOption = None,
    language: LanguageOption = None,
    key: KeyOption = None,
    names: NamesOption = None,
    recipe: Annotated[Path | None, typer.Option("--recipe", help="steps to run")] = None,
    as_json: JsonOption = False,
) -> None:
    """Convert entries, prove the files, print the report."""
    context = Context()
    given = Given(profile, layout, language, key, names)
    with told():
        stack = open_stack(sources, given, context)
        missing = [path for path in entry if path not in stack.entries]
        if missing:
            raise InputError(ErrorCode.NOT_FOUND, f"there is no entry '{missing[0]}'", hint="List the entries first.")
        scene = Opener(stack).scene(entry, context)
        if recipe is not None:
            uses = load_recipe(read_text(recipe), recipe.name).steps
            run = run_recipe(scene, uses, MemoryCache(), context)
            for one in run.runs:
                if one.fault is not None:
                    raise UsageError(ErrorCode.USAGE, f"step '{one.use.step}': {one.fault.line()}")
            scene = run.scene
        out.mkdir(parents=True, exist_ok=True)
        report = deliver(scene, entry[0].rsplit("/", 1)[-1].rsplit(".", 1)[0], to, out, context)
        for note in scene.notes:
            sys.stderr.write(f"pruxel: {note}\n")
    if as_json:
        print_json(report.as_dict())
    else:
        _print_report(report.as_dict())
    if report.outcome is not Outcome.PROVEN:
        with told():
            raise ProofError(ErrorCode.PROOF_FAILED, _why_unproven(report), file=str(out))


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
            if proof["not_made"]:
                console.print(f"  [yellow]not proven[/] by {proof['reader']}: {proof['not_made']}", highlight=False)
            for check in proof["checks"]:
                mark = "[red]differs[/]" if not check["passed"] else "[yellow]warns[/]" if check["warning"] else "[green]holds[/]"
                console.print(
                    f"  {mark} {check['what']}: {check['written']} → {check['read']}  ({proof['reader']})",
                    highlight=False,
                )


def main() -> None:
    """Entry point."""
    app()
