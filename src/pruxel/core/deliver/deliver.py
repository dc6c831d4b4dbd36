"""One delivery: scenes in one or more formats, written, proven, reported."""

from __future__ import annotations

import json
from collections.abc import Mapping, Sequence
from dataclasses import asdict, dataclass, replace
from pathlib import Path
from types import MappingProxyType
from typing import Any

import numpy as np

from pruxel.core.base.context import Context
from pruxel.core.base.errors import ErrorCode, InputError, UsageError
from pruxel.core.base.writing import make_folder
from pruxel.core.deliver.judges.registry import Exhibit
from pruxel.core.deliver.package import Written, write_files
from pruxel.core.deliver.plan import Cut, Plan, cuts_for, cuts_of, together
from pruxel.core.deliver.proof import Outcome, Proof, Tolerances
from pruxel.core.deliver.proof.checks import worst
from pruxel.core.deliver.proof.prove import prove
from pruxel.core.formats import every  # noqa: F401 - registers all formats
from pruxel.core.formats.ready import is_bare, make_ready, nothing_to_write
from pruxel.core.formats.registry import FORMATS, Format, Options, OutFile, lost
from pruxel.core.formats.repictured import repictured, unpictured, with_colors_in_vertices
from pruxel.core.formats.textures import link_name
from pruxel.core.images import png
from pruxel.core.pictures.bones import visible
from pruxel.core.pictures.render import View, render
from pruxel.core.scene.edit import merge
from pruxel.core.scene.model import Scene

_MOST_PICTURES = 12
_VIEW = View(width=280, height=210, samples=1, sky_rays=6)  # a glance; six times as fast as a card of Browse
_AS_IT_IS = Plan()


@dataclass(frozen=True)
class FormatReport:
    """One file of a delivery with what lies beside it: what it cannot carry, the proofs, and how it looks.

    `picture` is drawn from the file as it was read back, `before` of what was to be written where that is not all of
    the delivery, both below its folder; empty where there is none.
    """

    format: str
    main: str
    files: tuple[Written, ...]
    left_out: tuple[str, ...]
    proofs: tuple[Proof, ...]
    picture: str = ""
    before: str = ""


@dataclass(frozen=True)
class Report:
    """The whole delivery; `told` is what had to be changed or left out; `picture` shows what was to be written."""

    name: str
    formats: tuple[FormatReport, ...]
    told: tuple[str, ...] = ()
    picture: str = ""

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
    scenes: Sequence[Scene],
    name: str,
    formats: Sequence[str],
    folder: Path,
    context: Context,
    options: Mapping[str, Mapping[str, Any]] = MappingProxyType({}),
    plan: Plan = _AS_IT_IS,
) -> Report:
    """Write scenes, named as they are told apart, into a folder that exists; `options` are those of each format.

    Raises `UsageError` for an unknown format, a wrong option or a scene without anything.
    With several formats each has a folder of its own, so that their textures do not mix.
    """
    told: list[str] = []
    specs = [_writable(FORMATS.get(f)) for f in dict.fromkeys(formats)]
    chosen = {spec.name: spec.chosen(options.get(spec.name, {})) for spec in specs}
    ready = list[Scene]()
    for scene, part in context.part(0.0, 0.1).each(together(scenes, name, plan), lambda one: one.name):
        made_ready = make_ready(scene, part)
        ready.append(made_ready.scene)
        told += made_ready.told
        if is_bare(made_ready.scene) and not all("skins" in spec.carries for spec in specs):
            raise nothing_to_write(made_ready.scene)
    cuts = cuts_of(ready, name, plan)
    work = [(spec, cut) for spec in specs for cut in cuts_for(cuts, spec)]
    made = list[tuple[Exhibit, list[Written]]]()
    for (spec, cut), part in context.part(0.1, 0.7).each(work, lambda one: f"{one[1].stem}, {one[0].title}"):
        home = folder / spec.name if len(specs) > 1 else folder
        make_folder(home)
        pictured = _with_pictures(cut.scene, spec, plan, told, part.part(0.0, 0.3))
        made.append(_written(pictured, cut.stem, spec, chosen[spec.name], home, part.part(0.3, 1.0)))
    proofs = prove([one for one, _ in made], context.part(0.7, 0.95))
    whole = ready[0] if len(ready) == 1 else merge(name, ready)
    drawing = context.part(0.95, 1.0)
    shown = _shown([one for one, _ in made], folder, drawing)
    before = _before([cut for _, cut in work], folder, drawing)
    reports = [
        replace(_report(one, files, folder, found), picture=picture, before=earlier)
        for (one, files), found, picture, earlier in zip(made, proofs, shown, before, strict=True)
    ]
    picture = _drawn(whole, folder, "as-written", drawing)
    report = Report(link_name(name), tuple(reports), tuple(dict.fromkeys(told)), picture)
    text = json.dumps(report.as_dict(), indent=1, ensure_ascii=False).encode("utf-8", "replace")
    write_files(folder, [OutFile("report.json", [text])], context)
    return report


def _writable(spec: Format) -> Format:
    if spec.write is None:
        raise UsageError(ErrorCode.USAGE, f"{spec.title} can be read, not written", field=spec.name)
    return spec


def _with_pictures(scene: Scene, spec: Format, plan: Plan, told: list[str], context: Context) -> Scene:
    """The scene with its textures as the plan has them, where the format has any."""
    if plan.textures == "none":
        return unpictured(scene)
    if plan.textures == "in vertices":
        return with_colors_in_vertices(scene)
    if "textures" not in spec.carries:
        return scene
    encoding = None if plan.textures == "as they are" else plan.textures
    return repictured(scene, encoding, plan.largest_side, spec.pictures, told, context)


def _written(
    scene: Scene, stem: str, spec: Format, options: Options, home: Path, context: Context
) -> tuple[Exhibit, list[Written]]:
    assert spec.write is not None
    files = spec.write(scene, stem, options, context.part(0.0, 0.8))
    written = write_files(home, files, context.part(0.8, 1.0))
    return Exhibit(home / files[0].path, scene, spec, options, Tolerances()), written


def _shown(exhibits: Sequence[Exhibit], folder: Path, context: Context) -> list[str]:
    """Pictures below the folder of each file as our own reader reads it, the first few."""
    found: list[str] = []
    for one, part in context.each(exhibits, lambda e: e.main.name):
        number = len(found) + 1
        back = _read(one, part) if number <= _MOST_PICTURES else None
        found.append("" if back is None else _drawn(back, folder, f"{number:02}-{one.format.name}", part))
    return found


def _before(cuts: Sequence[Cut], folder: Path, context: Context) -> list[str]:
    """Pictures of what each file was to hold, drawn once a piece; none where all is in one piece."""
    if len({cut.piece for cut in cuts}) < 2:
        return [""] * len(cuts)
    drawn: dict[int, str] = {}
    for cut in cuts[:_MOST_PICTURES]:
        if cut.piece not in drawn:
            drawn[cut.piece] = _drawn(cut.scene, folder, f"piece-{cut.piece + 1:02}", context)
    return [drawn.get(cut.piece, "") for cut in cuts]


def _read(one: Exhibit, context: Context) -> Scene | None:
    def beside(link: str) -> bytes | None:
        path = (one.main.parent / link).resolve()
        return path.read_bytes() if path.is_relative_to(one.main.parent.resolve()) and path.is_file() else None

    if one.format.read is None:
        return None
    try:
        return one.format.read(memoryview(one.main.read_bytes()), one.main.name, beside, context).scene
    except InputError:
        return None


def _drawn(scene: Scene, folder: Path, name: str, context: Context) -> str:
    with np.errstate(over="ignore", invalid="ignore"):  # of places at the end of what numbers hold
        picture = png.encode(render(visible(scene), Context(cancelled=context.cancelled), _VIEW))
    [written] = write_files(folder, [OutFile(f"report/{name}.png", [picture])], context)
    return written.path


def _report(one: Exhibit, written: Sequence[Written], folder: Path, proofs: Sequence[Proof]) -> FormatReport:
    home = one.main.parent
    placed = tuple(Written((home / w.path).relative_to(folder).as_posix(), w.size) for w in written)
    main = one.main.relative_to(folder).as_posix()
    return FormatReport(one.format.name, main, placed, tuple(lost(one.scene, one.format)), tuple(proofs))
