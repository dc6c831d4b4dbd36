"""Records of clips → keys by joint name; and clips put on a scene that has those joints."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, replace

import numpy as np

from pruxel.core.base.arrays import FloatArray, frozen
from pruxel.core.base.context import Context
from pruxel.core.base.errors import ErrorCode, InputError
from pruxel.core.binary.elements import decode_floats, element
from pruxel.core.binary.parse import parse
from pruxel.core.binary.records import Record
from pruxel.core.binary.schema import ExpressionText, Layout, Strict
from pruxel.core.binary.values import bytes_of, number_of, rows_of, text_of, whole_of
from pruxel.core.extract.conventions import Turning, turning
from pruxel.core.extract.validate import extract_spec
from pruxel.core.scene.model import ChannelPath, Clip, ClipChannel, Scene
from pruxel.core.scene.origin import Origin
from pruxel.core.sources.profile import Conventions

_WIDTHS: dict[str, int] = {"translation": 3, "rotation": 4, "scale": 3}


class ClipsExtract(Strict):
    """Where clips keep their tracks: the keys of one property of one joint, `rate` of them a second.

    `path` gives 'translation', 'rotation' (quaternions xyzw) or 'scale', relative to the parent joint; `keys` is a
    block of `count` elements of `format`.
    """

    clips: ExpressionText
    name: ExpressionText
    rate: ExpressionText
    tracks: ExpressionText
    joint: ExpressionText
    path: ExpressionText
    keys: ExpressionText
    count: ExpressionText
    format: ExpressionText
    conventions: Conventions | None = None


@dataclass(frozen=True, eq=False)
class LooseTrack:
    """Keys for a joint by its name: times (k,) float32 seconds, values (k, 3 or 4) float32."""

    joint: str
    path: ChannelPath
    times: FloatArray
    values: FloatArray


@dataclass(frozen=True, eq=False)
class LooseClip:
    """A clip that is not yet on any model; `rate` is keys a second."""

    name: str
    rate: float
    tracks: tuple[LooseTrack, ...]
    origin: Origin

    @property
    def frames(self) -> int:
        """The most keys that a track has."""
        return extent_of(self.tracks)[1]

    @property
    def seconds(self) -> float:
        """Time of the last key."""
        return extent_of(self.tracks)[0]


def read_clips(
    data: memoryview, layout: Layout, entry: str, defaults: Conventions, context: Context
) -> tuple[LooseClip, ...]:
    """All clips of an entry; raises `InputError`."""
    spec = extract_spec(layout, ClipsExtract)
    head = parse(layout, data, entry, context)
    how = spec.conventions or defaults
    turned = turning(how)
    order = "<" if layout.endian == "little" else ">"
    found = []
    for number, record in enumerate(rows_of(spec.clips, head, entry)):
        context.check()
        rate = number_of(spec.rate, record, entry)
        if not 0.01 <= rate <= 10_000:
            raise InputError(
                ErrorCode.MALFORMED,
                "a clip has an impossible number of keys a second",
                file=entry,
                offset=record.start,
                field=f"{spec.clips}[{number}].{spec.rate}",
                expected="0.01 to 10,000",
                found=f"{rate:g}",
            )
        place = Origin(entry=entry, record=f"{spec.clips}[{number}]", start=record.start, conventions=how.words())
        tracks = tuple(_track(track, spec, rate, turned, entry, order) for track in rows_of(spec.tracks, record, entry))
        found.append(LooseClip(text_of(spec.name, record, entry), rate, tracks, place))
    return tuple(found)


def _track(track: Record, spec: ClipsExtract, rate: float, how: Turning, entry: str, order: str) -> LooseTrack:
    path, format_name = (text_of(text, track, entry) for text in (spec.path, spec.format))
    kind, count = element(format_name), whole_of(spec.count, track, entry)
    data = bytes_of(spec.keys, track, entry)
    width = _WIDTHS.get(path)
    if width is None or kind is None or kind.components < width or not 0 <= count * kind.size <= len(data):
        raise InputError(
            ErrorCode.MALFORMED,
            "the keys of a track cannot be read",
            file=entry,
            offset=track.start,
            field=spec.keys,
            expected=f"translation, rotation or scale, as {count:,} elements of {width or 4} numbers",
            found=f"'{path}' as '{format_name}' in {len(data):,} bytes",
        )
    rows = np.frombuffer(data, np.uint8, count * kind.size).reshape(count, kind.size)
    values = decode_floats(rows, kind, 0, order)[:, :width].astype(np.float64)
    if not np.isfinite(values).all():
        raise InputError(
            ErrorCode.MALFORMED, "a key is not a number", file=entry, offset=track.start, expected="finite numbers"
        )
    times = np.arange(count, dtype=np.float32) / np.float32(rate)
    joint = text_of(spec.joint, track, entry)
    return LooseTrack(joint, path, frozen(times), frozen(_turned(values, path, how)))  # type: ignore[arg-type]


def _turned(values: np.ndarray, path: str, how: Turning) -> FloatArray:
    """Keys in our axes and metres; a mirroring change of axes turns rotations around."""
    basis = how.ours_from_file
    if path == "translation":
        out = values @ (basis.T * how.unit_m)
    elif path == "scale":
        out = values @ np.abs(basis).T
    else:
        length = np.linalg.norm(values, axis=1, keepdims=True)
        unit = np.where(length > 1e-9, values / np.maximum(length, 1e-9), (0.0, 0.0, 0.0, 1.0))
        out = np.concatenate([unit[:, :3] @ basis.T * np.sign(np.linalg.det(basis)), unit[:, 3:]], axis=1)
    return out.astype(np.float32)


def extent_of(tracks: Sequence[LooseTrack] | Sequence[ClipChannel]) -> tuple[float, int]:
    """Time of the last key in seconds, and the most keys that a track has."""
    ends = [float(track.times[-1]) for track in tracks if len(track.times)]
    return max(ends, default=0.0), max((len(track.times) for track in tracks), default=0)


def with_clips(scene: Scene, clips: tuple[LooseClip, ...]) -> tuple[Scene, float]:
    """The scene with those clips, and the share of their joints that it has (0 to 1). Tracks without a joint go."""
    places = {node.name: index for index, node in reversed(list(enumerate(scene.nodes)))}
    wanted = {track.joint for clip in clips for track in clip.tracks}
    made = []
    for clip in clips:
        channels = tuple(
            ClipChannel(places[t.joint], t.path, t.times, t.values)
            for t in clip.tracks
            if t.joint in places and len(t.times)
        )
        if channels:
            made.append(Clip(clip.name, channels, origin=clip.origin))
    share = len(wanted & places.keys()) / len(wanted) if wanted else 0.0
    return replace(scene, clips=scene.clips + tuple(made)), share
