"""Vertex animation: frames of positions → morph targets, and clips that show one after the other."""

from __future__ import annotations

from itertools import groupby
from typing import Literal

import numpy as np

from pruxel.core.base.arrays import frozen
from pruxel.core.binary.functions.texts import without_digits
from pruxel.core.binary.records import Record
from pruxel.core.binary.schema import ExpressionText, Strict
from pruxel.core.binary.values import array_of, each_of, number_of, text_of, whole_of
from pruxel.core.extract.elements import bad
from pruxel.core.extract.file import ParsedFile
from pruxel.core.extract.primitives import Frame
from pruxel.core.scene.model import Clip, ClipChannel
from pruxel.core.scene.origin import Origin

_MOST_WEIGHTS = 1 << 24


class RangesSpec(Strict):
    """Clips as ranges of frames: the records, and their `name`, `first` frame and `count` of frames."""

    each: ExpressionText
    """The records."""
    name: ExpressionText
    """Of the clip."""
    first: ExpressionText
    """Its first frame."""
    count: ExpressionText
    """How many frames."""
    rate: ExpressionText | None = None
    """Frames a second, when it differs."""


class FramesSpec(Strict):
    """Frames of a part: for each its `position` (one a vertex), perhaps its `name`; `rate` of them a second.

    `clips` are named by runs of frames whose names differ only in the number at their end (`by_name`), all of them
    (`one`), or given by `ranges`.
    """

    each: ExpressionText
    """The frames."""
    name: ExpressionText | None = None
    """Of the frame."""
    position: ExpressionText
    """One a vertex."""
    normal: ExpressionText | None = None
    """The same for normals, where frames have their own."""
    rate: ExpressionText | None = None
    """Frames a second; without it, what the conventions say."""
    clips: Literal["by_name", "one"] = "by_name"
    """`by_name`: frames whose names differ only in the number at their end are a clip; `one`: all of them."""
    ranges: RangesSpec | None = None
    """Clips by first frame and count."""


def read_frames(spec: FramesSpec, part: Record, vertices: int, file: ParsedFile) -> tuple[Frame, ...]:
    """All frames of a part; raises `InputError` when one has another number of vertices."""
    found = []
    for number, row in enumerate(each_of(spec.each, part, file.entry)):
        positions = array_of(spec.position, row, file.entry, 3)
        normals = None if spec.normal is None else array_of(spec.normal, row, file.entry, 3)
        given = [positions] if normals is None else [positions, normals]
        if any(len(one) != vertices or not np.isfinite(one).all() for one in given):
            raise bad(
                file.entry,
                part,
                f"frame {number} does not fit the part",
                expected=f"{vertices:,} positions, all of them numbers",
                found=" and ".join(f"{len(one):,}" for one in given),
            )
        name = f"frame {number}" if spec.name is None else text_of(spec.name, row, file.entry)
        found.append(Frame(name, positions, normals))
    return tuple(found)


def clips_of_frames(
    spec: FramesSpec, part: Record, names: list[str], node: int, file: ParsedFile, place: Origin
) -> list[Clip]:
    """Clips that show a part's frames one after the other; raises `InputError`."""
    rate = (
        file.conventions.frame_rate
        if spec.rate is None
        else rate_of(number_of(spec.rate, part, file.entry), part, file.entry)
    )
    found = []
    for name, first, count, pace in _ranges(spec, part, names, rate, file):
        if not 0 <= first <= first + count <= len(names) or not count:
            raise bad(
                file.entry,
                part,
                f"the clip '{name}' is not among the frames",
                expected=f"frames below {len(names)}",
                found=f"{count} from {first} on",
            )
        if count * len(names) > _MOST_WEIGHTS:
            raise bad(file.entry, part, "too many frames for one part", found=f"{len(names):,}")
        weights = np.zeros((count, len(names)), np.float32)
        weights[np.arange(count), first + np.arange(count)] = 1
        times = np.arange(count, dtype=np.float32) / np.float32(pace)
        found.append(Clip(name, (ClipChannel(node, "weights", frozen(times), frozen(weights)),), origin=place))
    return found


def _ranges(
    spec: FramesSpec, part: Record, names: list[str], rate: float, file: ParsedFile
) -> list[tuple[str, int, int, float]]:
    """Name, first frame, count and rate of each clip."""
    if spec.ranges is not None:
        told = spec.ranges
        return [
            (
                text_of(told.name, row, file.entry),
                whole_of(told.first, row, file.entry),
                whole_of(told.count, row, file.entry),
                rate if told.rate is None else rate_of(number_of(told.rate, row, file.entry), row, file.entry),
            )
            for row in each_of(told.each, part, file.entry)
        ]
    if spec.clips == "one" or spec.name is None:
        return [("frames", 0, len(names), rate)] if names else []
    found, first = [], 0
    for name, run in groupby(names, lambda one: without_digits(one) or one):
        count = len(list(run))
        found.append((name, first, count, rate))
        first += count
    return found


def rate_of(rate: float, scope: Record, entry: str) -> float:
    """Keys a second; raises `InputError` for an impossible number."""
    if not 0.01 <= rate <= 10_000:
        raise bad(
            entry,
            scope,
            "a clip has an impossible number of keys a second",
            expected="0.01 to 10,000",
            found=f"{rate:g}",
        )
    return rate
