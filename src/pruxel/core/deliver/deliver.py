"""One delivery: a scene in one or more formats, written, proven, reported."""

from __future__ import annotations

import json
from collections.abc import Mapping, Sequence
from concurrent.futures import ThreadPoolExecutor
from dataclasses import asdict, dataclass
from pathlib import Path
from types import MappingProxyType
from typing import Any

from pruxel.core.base.context import Context
from pruxel.core.base.errors import ErrorCode, UsageError
from pruxel.core.base.writing import make_folder
from pruxel.core.deliver.judges.registry import Exhibit
from pruxel.core.deliver.package import Written, write_files
from pruxel.core.deliver.proof import Outcome, Proof, Tolerances
from pruxel.core.deliver.proof.checks import worst
from pruxel.core.deliver.proof.prove import prove
from pruxel.core.formats import every  # noqa: F401 - registers all formats
from pruxel.core.formats.ready import make_ready
from pruxel.core.formats.registry import FORMATS, Format, Options, OutFile, lost
from pruxel.core.formats.textures import link_name
from pruxel.core.scene.model import Scene

_SIDE_BY_SIDE = 2  # judges at once


@dataclass(frozen=True)
class FormatReport:
    """One format of a delivery: its files, what it cannot carry, and the proofs."""

    format: str
    main: str
    files: tuple[Written, ...]
    left_out: tuple[str, ...]
    proofs: tuple[Proof, ...]


@dataclass(frozen=True)
class Report:
    """The whole delivery; `told` is what had to be changed or left out for every format."""

    name: str
    formats: tuple[FormatReport, ...]
    told: tuple[str, ...] = ()

    @property
    def outcome(self) -> Outcome:
        """Proven when every proof of every format was made and holds."""
        return worst([proof.outcome for f in self.formats for proof in f.proofs])

    def as_dict(self) -> dict[str, Any]:
        """JSON-ready."""
        found = asdict(self) | {"outcome": str(self.outcome)}
        for item, own in zip(found["formats"], self.formats, strict=True):
            for proof, kept in zip(item["proofs"], own.proofs, strict=True):
                proof["outcome"] = str(kept.outcome)
        return found


def deliver(
    scene: Scene,
    name: str,
    formats: Sequence[str],
    folder: Path,
    context: Context,
    options: Mapping[str, Mapping[str, Any]] = MappingProxyType({}),
) -> Report:
    """Write a scene into a folder that exists; `options` are those of each format, by its name.

    Raises `UsageError` for an unknown format, a wrong option or a scene without anything.
    With several formats each has a folder of its own, so that their textures do not mix.
    """
    stem = link_name(name)
    made = list[tuple[Exhibit, list[Written]]]()
    specs = [FORMATS.get(f) for f in dict.fromkeys(formats)]
    chosen = {spec.name: spec.chosen(options.get(spec.name, {})) for spec in specs}
    ready = make_ready(scene, context.part(0.0, 0.1))
    for spec, part in context.part(0.1, 0.7).each(specs, lambda f: f.title):
        home = folder / spec.name if len(specs) > 1 else folder
        make_folder(home)
        made.append(_written(ready.scene, stem, spec, chosen[spec.name], home, part))
    proofs = _proven([one for one, _ in made], context.part(0.7, 1.0))
    reports = [_report(one, files, folder, found) for (one, files), found in zip(made, proofs, strict=True)]
    report = Report(stem, tuple(reports), ready.told)
    text = json.dumps(report.as_dict(), indent=1, ensure_ascii=False).encode("utf-8", "replace")
    write_files(folder, [OutFile("report.json", [text])], context)
    return report


def _written(
    scene: Scene, stem: str, spec: Format, options: Options, home: Path, context: Context
) -> tuple[Exhibit, list[Written]]:
    if spec.write is None:
        raise UsageError(ErrorCode.USAGE, f"{spec.title} can be read, not written", field=spec.name)
    files = spec.write(scene, stem, options, context.part(0.0, 0.8))
    written = write_files(home, files, context.part(0.8, 1.0))
    return Exhibit(home / files[0].path, scene, spec, options, Tolerances()), written


def _proven(exhibits: Sequence[Exhibit], context: Context) -> list[list[Proof]]:
    """The proofs of each file, side by side: judges are programs of their own."""
    with ThreadPoolExecutor(_SIDE_BY_SIDE) as pool:
        waiting = [pool.submit(prove, one, Context(cancelled=context.cancelled)) for one in exhibits]
        found = []
        for number, (one, item) in enumerate(zip(exhibits, waiting, strict=True)):
            context.progress(number / len(exhibits), f"reading {one.main.name} back")
            found.append(item.result())
    return found


def _report(one: Exhibit, written: Sequence[Written], folder: Path, proofs: Sequence[Proof]) -> FormatReport:
    home = one.main.parent
    placed = tuple(Written((home / w.path).relative_to(folder).as_posix(), w.size) for w in written)
    main = one.main.relative_to(folder).as_posix()
    return FormatReport(one.format.name, main, placed, tuple(lost(one.scene, one.format)), tuple(proofs))
