"""Named points of a layout → nodes without a mesh, below the joint that they hang on; they move where frames say so."""

from __future__ import annotations

from dataclasses import dataclass, replace

import numpy as np

from pruxel.core.base.arrays import AnyArray, DoubleArray, frozen
from pruxel.core.base.context import Context
from pruxel.core.binary.functions.rotations import unit_turns
from pruxel.core.binary.records import Record
from pruxel.core.binary.schema import ExpressionText
from pruxel.core.binary.values import array_of, matrix_of, text_of
from pruxel.core.extract.clips import joint_said
from pruxel.core.extract.clips_on_scene import joint_finder
from pruxel.core.extract.conventions import Turning, turned_matrices, turning
from pruxel.core.extract.elements import bad
from pruxel.core.extract.file import ParsedFile, rows
from pruxel.core.extract.placing import PlacingSpec
from pruxel.core.geometry.transforms import decompose, matrices_of, turns_of
from pruxel.core.scene.edit import unique_names
from pruxel.core.scene.model import Clip, ClipChannel, Node, Scene


class MarkersSpec(PlacingSpec):
    """Named points that things are attached to: one an item of `each`; where it stands is seen from its `joint`.

    Where each is a row for every frame of the vertex animation, the point moves with the clips of that.
    """

    each: ExpressionText
    """The records, a list, or how many."""
    where: ExpressionText | None = None
    """A condition: which of them count."""
    name: ExpressionText | None = None
    """Of the point."""
    joint: ExpressionText | None = None
    """The joint or part that it hangs on, by its name or, for joints, its number; without it, the model."""


@dataclass(frozen=True, eq=False)
class _Marker:
    """A point as the file has it: `places` (f, 4, 4) in our axes and metres, one or one a frame."""

    node: Node
    joint: str | int | None
    places: DoubleArray


def with_markers(scene: Scene, file: ParsedFile, context: Context) -> Scene:
    """The scene with the file's named points; one whose joint is not there stands in the model and is told."""
    spec = file.spec("markers", MarkersSpec)
    how = turning(file.conventions)
    found, notes = list[_Marker](), list[str]()
    for number, record in enumerate(rows(spec.each, spec.where, file.head, file.entry)):
        context.check()
        if number >= context.limits.nodes:
            raise bad(file.entry, record, "too many named points", expected=f"at most {context.limits.nodes:,}")
        found.append(_marker(spec, record, number, how, file))
    find = joint_finder(scene)
    nodes, roots, clips = list(scene.nodes), list(scene.roots), list(scene.clips)
    for marker in found:
        index = len(nodes)
        nodes.append(marker.node)
        above = None if marker.joint is None else find(marker.joint)
        if above is None:
            roots.append(index)
            if marker.joint is not None:
                notes.append(f"{file.entry}: the point '{marker.node.name}' names the joint '{marker.joint}', not here")
        else:
            nodes[above] = replace(nodes[above], children=(*nodes[above].children, index))
        clips = [_moving(clip, index, marker.places) for clip in clips]
    return replace(
        scene,
        nodes=unique_names(nodes),
        roots=tuple(roots),
        clips=tuple(clips),
        notes=(*scene.notes, *notes),
    )


def _marker(spec: MarkersSpec, record: Record, number: int, how: Turning, file: ParsedFile) -> _Marker:
    entry = file.entry
    name = f"point {number + 1}" if spec.name is None else text_of(spec.name, record, entry)
    joint: str | int | None = None
    if spec.joint is not None:
        said = joint_said(spec.joint, record, entry)
        joint = None if said in {"", -1} else said
    if spec.matrix is not None:
        matrices = matrix_of(spec.matrix, record, entry)
        matrices = matrices if matrices.ndim == 3 else matrices[None]
    else:
        matrices = _composed(spec, record, entry)
    if not len(matrices) or not np.isfinite(matrices).all():
        raise bad(entry, record, f"the point '{name}' stands nowhere", expected="finite numbers")
    places = turned_matrices(matrices, how)
    translation, rotation, scale = decompose(places[0])
    node = Node(
        name,
        translation=translation,
        rotation=rotation,
        scale=scale,
        role="helper",
        origin=file.origin(spec.each, number, record.start),
    )
    return _Marker(node, joint, places)


def _composed(spec: MarkersSpec, record: Record, entry: str) -> DoubleArray:
    """(f, 4, 4) of translation, rotation and scale, each one row or one a frame."""
    parts = [
        _frames(text, record, entry, otherwise)
        for text, otherwise in (
            (spec.translation, (0.0, 0.0, 0.0)),
            (spec.rotation, (0.0, 0.0, 0.0, 1.0)),
            (spec.scale, (1.0, 1.0, 1.0)),
        )
    ]
    most = max(len(part) for part in parts)
    if any(len(part) not in {1, most} for part in parts):
        said = " and ".join(str(len(part)) for part in parts)
        raise bad(entry, record, "what places a point differs in length", expected=f"{most} rows each", found=said)
    whole = [np.broadcast_to(part, (most, part.shape[1])) for part in parts]
    return matrices_of(whole[0], unit_turns(whole[1]), whole[2])


def _frames(text: str | None, record: Record, entry: str, otherwise: tuple[float, ...]) -> DoubleArray:
    """(f, width) float64: a single row stands alone, and so does one number for each axis of a scale."""
    if text is None:
        return np.asarray([otherwise])
    width = len(otherwise)
    found = array_of(text, record, entry, 1, width).astype(np.float64)
    if found.ndim == 2:
        return found
    if len(found) == width:
        return found[None]
    if otherwise == (1.0, 1.0, 1.0):
        return np.repeat(found[:, None], 3, axis=1)
    raise bad(entry, record, f"'{text}' places no point", expected=f"rows of {width} numbers", found=f"{len(found)}")


def _moving(clip: Clip, node: int, places: DoubleArray) -> Clip:
    """A clip of vertex animation in which the point goes along: each key shows a frame, where its place is known."""
    shown = next((channel for channel in clip.channels if channel.path == "weights"), None)
    if len(places) == 1 or shown is None:
        return clip
    frames: AnyArray = shown.values.reshape(len(shown.times), -1).argmax(axis=1)
    if not len(frames) or int(frames.max()) >= len(places):
        return clip
    translation, rotation, scale = turns_of(places[frames])
    moved = [
        ClipChannel(node, path, shown.times, frozen(values.astype(np.float32)))  # type: ignore[arg-type]
        for path, values in (("translation", translation), ("rotation", rotation), ("scale", scale))
        if not np.allclose(values, values[0])
    ]
    return replace(clip, channels=(*clip.channels, *moved))
