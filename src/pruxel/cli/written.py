"""What commands that write are told: purposes, plans, options of formats; and what they tell of it."""

from __future__ import annotations

from typing import TYPE_CHECKING, Annotated, Any

import typer

from pruxel.cli.options import console
from pruxel.cli.proving import print_proof
from pruxel.core.base.errors import ErrorCode, UsageError

if TYPE_CHECKING:
    from pruxel.core.deliver.deliver import Report
    from pruxel.core.deliver.plan import Plan
    from pruxel.core.deliver.purposes import Purpose

ToOption = Annotated[
    list[str] | None,
    typer.Option("--to", help="a format, see `pruxel formats`; may be repeated; needed without a purpose"),
]
FormatOption = Annotated[
    list[str] | None,
    typer.Option("--option", help="up=z for every format that has it, fbx.up=z for one; may be repeated"),
]
PurposeOption = Annotated[
    str | None, typer.Option("--purpose", help="a start for the rest: edit, render, engine, paint, print, archive")
]


def purpose_named(name: str | None) -> Purpose | None:
    """The purpose of that name, none for none; raises `UsageError` for one that is not there."""
    from pruxel.core.deliver.purposes import PURPOSES

    return None if name is None else PURPOSES.get(name)


def plan_from(purpose: Purpose | None, said: dict[str, str | None]) -> Plan:
    """The purpose's plan with what the command says of its own."""
    from pruxel.core.deliver.plan import plan_of

    if said.get("files") is not None:
        said["files"] = f"per {said['files']}"
    started = {} if purpose is None else purpose.plan.model_dump()
    return plan_of(started | {key: value for key, value in said.items() if value is not None})


def options_from(given: list[str], formats: list[str], purpose: Purpose | None) -> dict[str, dict[str, Any]]:
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


def why_unproven(report: Report) -> str:
    """The first thing that did not read back, or why nothing could be read back."""
    proofs = [proof for found in report.formats for proof in found.proofs]
    failed = [f"{check.what}: {check.read}" for proof in proofs for check in proof.checks if not check.passed]
    if failed:
        return f"a file did not read back as it was written ({failed[0]})"
    missing = next(proof for proof in proofs if proof.not_made)
    return f"the files are written but not proven: {missing.not_made}"


def print_report(report: dict[str, Any]) -> None:
    """A delivery's report for a person."""
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
