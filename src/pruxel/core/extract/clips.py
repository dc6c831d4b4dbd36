"""Clips of a layout → keys by joint, by part and by material."""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from dataclasses import dataclass, replace
from typing import Literal, get_args

import numpy as np

from pruxel.core.base.arrays import AnyArray, FloatArray, frozen
from pruxel.core.base.context import Context
from pruxel.core.binary.functions.rotations import unit_turns
from pruxel.core.binary.records import Record
from pruxel.core.binary.schema import ExpressionText, Strict
from pruxel.core.binary.values import array_of, number_of, text_of, truth_of, value_of
from pruxel.core.extract.conventions import Turning, turn_rotations, turning
from pruxel.core.extract.elements import bad
from pruxel.core.extract.file import ParsedFile, rows
from pruxel.core.extract.frames import rate_of
from pruxel.core.geometry.transforms import turns_of
from pruxel.core.scene.model import (
    TRACK_WIDTHS,
    ChannelPath,
    ClipChannel,
    LookChannel,
    LookPath,
    ShownChannel,
)
from pruxel.core.scene.origin import Origin

_LOOKS: tuple[LookPath | Literal["visible"], ...] = ("visible", *get_args(LookPath))
_WIDTHS: dict[ChannelPath, int] = {"translation": 3, "rotation": 4, "scale": 3}


class RootSpec(Strict):
    """A path of the whole model, apart from its joints: keys as of a track, said of the clip."""

    translation: ExpressionText | None = None
    """Keys: three numbers each."""
    rotation: ExpressionText | None = None
    """Keys: quaternions x, y, z, w."""
    times: ExpressionText | None = None
    """Seconds of each key."""
    frames: ExpressionText | None = None
    """The frame of each key, counted by the rate."""


class ClipsSpec(Strict):
    """Where clips keep their keys: one clip an item of `each`, the whole file being one without it.

    `tracks` are records, a list, or how many; of a track, `joint` is the joint's name or number, and `translation`
    (k, 3), `rotation` (k, 4: quaternions xyzw), `scale` (k, 3 or 1) or `matrix` (k, 4, 4) are keys, `rate` of them a
    second, or at `times` in seconds, or at `frames` counted by the rate. `first` and `count` cut a stretch out of
    keys that several clips share. Keys are `relative_to` the joint's parent, the model, or the pose at rest.
    """

    each: ExpressionText | None = None
    """The records that are clips."""
    where: ExpressionText | None = None
    """A condition: which of them count."""
    name: ExpressionText | None = None
    """Of the clip."""
    rate: ExpressionText | None = None
    """Keys a second; without it, what the conventions say."""
    tracks: ExpressionText
    """Records, a list, or how many: one a joint."""
    joint: ExpressionText | None = None
    """The joint's name, or its number; the number of the track without it."""
    translation: ExpressionText | None = None
    """Keys: an array of three numbers each; 0 for a track that has none."""
    rotation: ExpressionText | None = None
    """Keys: quaternions x, y, z, w."""
    scale: ExpressionText | None = None
    """Keys: three numbers each, or one (`rows(keys, 1)`)."""
    matrix: ExpressionText | None = None
    """Keys: 4x4 matrices."""
    times: ExpressionText | None = None
    """Seconds of each key."""
    frames: ExpressionText | None = None
    """The frame of each key, counted by the rate."""
    first: ExpressionText | None = None
    """The clip's first key, where several clips share their keys."""
    count: ExpressionText | None = None
    """How many keys are the clip."""
    steps: ExpressionText | None = None
    """True where values hold until the next key."""
    visible: ExpressionText | None = None
    """Keys of when the joint, or part, and what is below it are to be seen: one number each, 0 for hidden."""
    material: ExpressionText | None = None
    """Of a track that changes a material: its name or number; `""` for one that changes none."""
    base_color: ExpressionText | None = None
    """Keys of the material: four linear numbers each, or three."""
    emissive: ExpressionText | None = None
    """Three linear numbers each."""
    roughness: ExpressionText | None = None
    """One number each."""
    metallic: ExpressionText | None = None
    """One number each."""
    offset: ExpressionText | None = None
    """How far its textures are shifted: two numbers each, U and V from the top."""
    tiling: ExpressionText | None = None
    """How often its textures go across: two numbers each."""
    relative_to: Literal["parent", "model", "rest"] = "parent"
    """What keys are relative to: `parent`, `model`, or `rest` (they add to the pose at rest)."""
    root: RootSpec | None = None
    """The path of the whole model, where it is kept apart from the joints, see below."""


@dataclass(frozen=True, eq=False)
class LooseTrack:
    """Keys for a joint by its name or number, None for the whole model; or, of how it looks, for a material.

    times (k,) float32 seconds, values (k, width) float32.
    """

    joint: str | int | None
    path: ChannelPath | LookPath | Literal["visible"]
    times: FloatArray
    values: FloatArray
    stepped: bool = False
    material: str | int | None = None


@dataclass(frozen=True, eq=False)
class LooseClip:
    """A clip that is not yet on any model; `rate` is keys a second. Its keys are relative to `relative_to`."""

    name: str
    rate: float
    tracks: tuple[LooseTrack, ...]
    origin: Origin
    relative_to: str = "parent"

    @property
    def frames(self) -> int:
        """The most keys that a track has."""
        return extent_of(self.tracks)[1]

    @property
    def seconds(self) -> float:
        """Time of the last key."""
        return extent_of(self.tracks)[0]


def read_clips(file: ParsedFile, context: Context) -> tuple[LooseClip, ...]:
    """All clips of a file; raises `InputError`."""
    spec = file.spec("clips", ClipsSpec)
    turned = turning(file.conventions)
    found = []
    for number, record in enumerate(rows(spec.each, spec.where, file.head, file.entry)):
        context.check()
        rate = file.conventions.frame_rate
        if spec.rate is not None:
            rate = rate_of(number_of(spec.rate, record, file.entry), record, file.entry)
        name = text_of(spec.name, record, file.entry) if spec.name else file.stem
        place = file.origin(spec.each, number, record.start)
        tracks = [
            one
            for track in rows(spec.tracks, None, record, file.entry)
            for one in _track(track, spec, rate, turned, file.entry)
        ]
        tracks += _root_path(record, spec, rate, turned, file.entry)
        found.append(LooseClip(name, rate, tuple(tracks), place, spec.relative_to))
    return tuple(found)


def _track(track: Record, spec: ClipsSpec, rate: float, how: Turning, entry: str) -> list[LooseTrack]:
    joint = int(track.lookup("row")) if spec.joint is None else joint_said(spec.joint, track, entry)
    material = None if spec.material is None else joint_said(spec.material, track, entry)
    material = None if material == "" else material
    stepped = truth_of(spec.steps, track, entry, otherwise=False)
    looks = _LOOKS if material is not None else _LOOKS[:1]
    found = []
    for path, keys in [*_keys(track, spec, entry).items(), *_looks(track, spec, looks, entry)]:
        if not np.isfinite(keys).all():
            raise bad(entry, track, "a key is not a number", expected="finite numbers")
        times = _times(len(keys), track, spec, rate, entry)
        cut = _stretch(keys, track, spec, entry)
        values = _turned(cut, path, how) if path in _WIDTHS else cut.astype(np.float32)
        when = frozen(_stretch(times, track, spec, entry, 0.0))
        found.append(LooseTrack(joint, path, when, frozen(values), stepped, material if path in _LOOKS[1:] else None))
    return found


def _is_none(value: object) -> bool:
    """Whether an expression says that a track has no such keys."""
    return value is None or isinstance(value, str) or (isinstance(value, int) and value == 0)


def _looks(
    track: Record, spec: ClipsSpec, wanted: Sequence[LookPath | Literal["visible"]], entry: str
) -> Iterator[tuple[LookPath | Literal["visible"], AnyArray]]:
    """The keys of how a track looks, (k, width) float64; colours of three numbers are opaque."""
    for path in wanted:
        text = getattr(spec, path)
        if text is None:
            continue
        wide = TRACK_WIDTHS[path]
        widths = (3, 4) if path == "base_color" else (wide,)
        if _is_none(value_of(text, track, entry)):
            continue
        keys = np.asarray(array_of(text, track, entry, *widths), np.float64)
        if not keys.size:
            continue
        keys = keys.reshape(len(keys), -1)
        yield path, np.pad(keys, ((0, 0), (0, wide - keys.shape[1])), constant_values=1.0)


def joint_said(text: str, scope: Record, entry: str) -> str | int:
    """A joint by its number, or by its name."""
    named = value_of(text, scope, entry)
    return named if isinstance(named, int) and not isinstance(named, bool) else text_of(text, scope, entry)


def _root_path(clip: Record, spec: ClipsSpec, rate: float, how: Turning, entry: str) -> list[LooseTrack]:
    """The tracks of what all joints hang on."""
    if spec.root is None:
        return []
    plain = dict.fromkeys(("joint", "scale", "matrix", "material", *_LOOKS))
    as_track = spec.model_copy(update=plain | dict(spec.root))
    return [replace(track, joint=None) for track in _track(clip, as_track, rate, how, entry)]


def _keys(track: Record, spec: ClipsSpec, entry: str) -> dict[ChannelPath, AnyArray]:
    """The keys of each property that a track has, (k, width) float64 in the file's axes."""
    found: dict[ChannelPath, AnyArray] = {}
    if spec.matrix is not None:
        matrices = np.asarray(value_of(spec.matrix, track, entry))
        if matrices.ndim != 3 or matrices.shape[1:] != (4, 4) or matrices.dtype.kind != "f":
            raise bad(entry, track, "keys should be 4x4 matrices, one a key", found=str(matrices.shape))
        return dict(zip(("translation", "rotation", "scale"), turns_of(matrices), strict=True))
    for path, text in (("translation", spec.translation), ("rotation", spec.rotation), ("scale", spec.scale)):
        if text is None:
            continue
        value = value_of(text, track, entry)
        if _is_none(value):
            continue
        widths = (1, 3) if path == "scale" else (_WIDTHS[path],)  # type: ignore[index]
        keys = np.asarray(value) if isinstance(value, np.ndarray | tuple) else array_of(text, track, entry, *widths)
        if keys.ndim == 1:  # one key for the whole clip
            keys = keys[None]
        if keys.ndim != 2 or keys.shape[1] not in widths or keys.dtype.kind not in "iuf":
            raise bad(
                entry,
                track,
                f"the keys of '{path}' cannot be read",
                expected=f"rows of {' or '.join(map(str, widths))} numbers",
                found=f"an array of {' x '.join(map(str, keys.shape))}",
            )
        found[path] = np.repeat(keys, 3, axis=1) if keys.shape[1] == 1 else keys.astype(np.float64)  # type: ignore[index]
    return found


def _stretch(keys: AnyArray, track: Record, spec: ClipsSpec, entry: str, begin: float | None = None) -> AnyArray:
    """The keys of one clip among those of several; times then begin at `begin`."""
    first = 0 if spec.first is None else int(number_of(spec.first, track, entry))
    count = len(keys) - first if spec.count is None else int(number_of(spec.count, track, entry))
    if len(keys) == 1 and first + count > 1:
        return keys  # one key for the whole run
    if not 0 <= first <= first + count <= len(keys):
        raise bad(
            entry,
            track,
            "a clip is no stretch of its keys",
            expected=f"keys below {len(keys):,}",
            found=f"{count:,} from {first:,} on",
        )
    cut = keys[first : first + count]
    return cut if begin is None or not len(cut) else cut - cut[0] + np.asarray(begin, cut.dtype)


def _times(count: int, track: Record, spec: ClipsSpec, rate: float, entry: str) -> FloatArray:
    """(k,) float32 seconds, ascending."""
    text = spec.times or spec.frames
    if text is None:
        return np.arange(count, dtype=np.float32) / np.float32(rate)
    found = array_of(text, track, entry, 1).astype(np.float64)
    if count == 1 and len(found) != 1:
        return np.zeros(1, np.float32)
    if len(found) != count or not np.isfinite(found).all() or (np.diff(found) < 0).any():
        raise bad(
            entry,
            track,
            "the times of a track do not go with its keys",
            expected=f"{count:,} ascending numbers",
            found=f"{len(found):,}",
        )
    return (found if spec.times is not None else found / rate).astype(np.float32)


def _turned(values: AnyArray, path: ChannelPath, how: Turning) -> FloatArray:
    """Keys in our axes and metres; a mirroring change of axes turns rotations around."""
    if path == "translation":
        out = values @ how.points
    elif path == "scale":
        out = values @ np.abs(how.ours_from_file).T
    else:
        out = turn_rotations(unit_turns(values), how)
    return out.astype(np.float32)


def extent_of(tracks: Sequence[LooseTrack] | Sequence[ClipChannel | ShownChannel | LookChannel]) -> tuple[float, int]:
    """Time of the last key in seconds, and the most keys that a track has."""
    ends = [float(track.times[-1]) for track in tracks if len(track.times)]
    return max(ends, default=0.0), max((len(track.times) for track in tracks), default=0)
