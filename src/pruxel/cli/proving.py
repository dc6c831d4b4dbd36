"""`pruxel prove`: a file before its judges, or beside another one."""

from __future__ import annotations

from pathlib import Path
from typing import TYPE_CHECKING, Annotated, Any

import typer

from pruxel.cli.options import JsonOption, console, print_json
from pruxel.cli.told import told
from pruxel.core.base.context import Context
from pruxel.core.base.errors import ErrorCode, InputError, ProofError

if TYPE_CHECKING:
    from pruxel.core.deliver.proof import Proof
    from pruxel.core.formats.registry import Format
    from pruxel.core.scene.model import Scene

_HEAD = 512


def prove(
    file: Annotated[Path, typer.Argument(metavar="FILE", help="a file of any format that is read")],
    *,
    against: Annotated[
        Path | None, typer.Option("--against", help="another file, of any format, that should show and do the same")
    ] = None,
    as_json: JsonOption = False,
) -> None:
    """Compare a file with another one; or what others read of it with what we read."""
    from pruxel.core.deliver.proof import Outcome, Tolerances
    from pruxel.core.deliver.proof import Proof as Made

    with told():
        scene, spec = _opened(file)
        if against is not None:
            from pruxel.core.deliver.agree import compare_scenes

            other, _ = _opened(against)
            proofs = [Made(file.name, against.name, tuple(compare_scenes(other, scene, Tolerances())))]
        else:
            proofs = _by_judges(file, scene, spec)
    if as_json:
        print_json([_as_dict(proof) for proof in proofs])
    else:
        for proof in proofs:
            print_proof(_as_dict(proof))
    wrong = next((p for p in proofs if p.outcome is not Outcome.PROVEN), None)
    if wrong is not None:
        with told():
            failed = next((f"{c.what}: {c.read}" for c in wrong.checks if not c.passed), wrong.not_made)
            raise ProofError(ErrorCode.PROOF_FAILED, f"it is not proven ({failed})", file=str(file))


def _opened(path: Path) -> tuple[Scene, Format]:
    from pruxel.core.disk.files import read_file
    from pruxel.core.formats import every  # noqa: F401 - registers all formats
    from pruxel.core.formats.registry import format_for

    data = read_file(path)
    spec = format_for(path.name, bytes(data[:_HEAD]))
    if spec is None or spec.read is None:
        raise InputError(
            ErrorCode.UNKNOWN_FORMAT, "this is of no format that is read", file=path.name,
            hint="`pruxel formats` lists them; other files are opened through their sources.",
        )  # fmt: skip
    home = path.resolve().parent

    def beside(name: str) -> bytes | None:
        found = (home / name.replace("\\", "/")).resolve()
        return bytes(read_file(found)) if found.is_relative_to(home) and found.is_file() else None

    return spec.read(data, path.name, beside, Context()).scene, spec


def _by_judges(file: Path, scene: Scene, spec: Format) -> list[Proof]:
    from pruxel.core.deliver.judges.registry import Exhibit
    from pruxel.core.deliver.proof import Proof, Tolerances
    from pruxel.core.deliver.proof.prove import prove as judged
    from pruxel.core.formats.ready import make_ready

    if not spec.judges:
        return [Proof(file.name, spec.title, (), not_made="nobody else here reads this format")]
    fit = make_ready(scene, Context()).scene
    [proofs] = judged([Exhibit(file, fit, spec, spec.options(), Tolerances())], Context())
    return proofs


def _as_dict(proof: Proof) -> dict[str, Any]:
    from dataclasses import asdict

    return asdict(proof) | {"outcome": str(proof.outcome)}


def print_proof(proof: dict[str, Any]) -> None:
    """A line for each check, those that fail first."""
    if proof["not_made"]:
        console.print(f"  [yellow]not proven[/] by {proof['reader']}: {proof['not_made']}", highlight=False)
    for check in sorted(proof["checks"], key=lambda one: one["passed"]):
        mark = "[yellow]warns[/]" if check["warning"] else "[green]holds[/]"
        mark = mark if check["passed"] else "[red]differs[/]"
        words = f"  {mark} {check['what']}: {check['written']} → {check['read']}  ({proof['reader']})"
        console.print(words, highlight=False)
