"""What of clips can be used where a file's keys are not in order: a bad key costs no model."""

from __future__ import annotations

from collections import Counter
from collections.abc import Callable
from dataclasses import replace

import numpy as np

from pruxel.core.base.arrays import AnyArray, as_floats, frozen
from pruxel.core.scene.model import TRACK_WIDTHS, Clip, Scene, Track

_LARGEST = 1e30
_JUST_BEFORE = 1e-4  # seconds: what jumps has a key just before the one that it jumps to


def with_sound_clips(scene: Scene) -> Scene:
    """The scene whose clips play, with a note for each that lost keys, and for each that nothing is left of."""
    clips, notes = [], []
    for clip in scene.clips:
        made, lost = _sound(scene, clip)
        if made.tracks:
            clips.append(made)
        if lost:
            words = ", ".join(f"{count} {what}" for what, count in sorted(lost.items()) if count)
            gone = "" if made.tracks else "; nothing of it is left"
            notes.append(f"clip '{clip.name}': {words}{gone}")
    return replace(scene, clips=tuple(clips), notes=(*scene.notes, *notes))


def _sound(scene: Scene, clip: Clip) -> tuple[Clip, Counter[str]]:
    lost: Counter[str] = Counter()
    channels = _each_once(clip.channels, lambda one: (one.node, one.path), lambda one: scene.nodes[one.node].name, lost)
    shown = _each_once(clip.shown, lambda one: one.node, lambda one: scene.nodes[one.node].name, lost)
    looks = _each_once(
        clip.looks, lambda one: (one.material, one.path), lambda one: scene.materials[one.material].name, lost
    )
    return replace(clip, channels=channels, shown=shown, looks=looks), lost


def _each_once(
    tracks: tuple[Track, ...], what: Callable[[Track], object], name: Callable[[Track], str], lost: Counter[str]
) -> tuple[Track, ...]:
    found: dict[object, Track] = {}
    for track in tracks:
        if what(track) in found:
            lost[f"more tracks of what moves already ({name(track)})"] += 1
            continue
        made = _usable(track, lost)
        if made is not None:
            found[what(track)] = made
    return tuple(found.values())


def _usable(channel: Track, lost: Counter[str]) -> Track | None:
    """The channel with the keys that are keys, in order; None where there are none."""
    each = 3 if channel.interpolation == "CUBICSPLINE" else 1
    count = len(channel.times)
    width = TRACK_WIDTHS.get(channel.path, channel.values.size // max(count * each, 1))
    full = min(count, channel.values.size // max(width * each, 1)) if width else 0
    if full < count:
        lost["keys without a value"] += count - full
    if not full:
        lost["tracks without a key"] += not count
        return None
    times = channel.times[:full].astype(np.float64)
    rows = channel.values.reshape(-1)[: full * each * width].reshape(full, each, width).astype(np.float64)
    fine = _fine(times, rows, turn=channel.path == "rotation")
    if not fine.all():
        lost["keys that are no numbers, lie before the beginning or turn nowhere"] += int((~fine).sum())
    times, rows = times[fine], rows[fine]
    if (np.diff(times) < 0).any():
        lost["tracks whose keys were not in order"] += 1
        order = np.argsort(times, kind="stable")
        times, rows = times[order], rows[order]
    kept, moved = _apart(times, rows)
    if not np.array_equal(moved, times):
        lost["keys set just before the one at their time"] += int((moved != times).sum())
        times = moved
    if not kept.all():
        lost["keys at the time of another"] += int((~kept).sum())
    times, rows = times[kept], rows[kept]
    if not len(times):
        return None
    values = as_floats(rows.reshape(-1, width), width)
    return replace(channel, times=frozen(np.ascontiguousarray(times, np.float32)), values=values)


def _fine(times: AnyArray, rows: AnyArray, *, turn: bool) -> AnyArray:
    with np.errstate(invalid="ignore", over="ignore"):
        fine = np.isfinite(times) & (times >= 0) & (np.abs(rows) < _LARGEST).all(axis=(1, 2))
        if turn:
            fine &= np.linalg.norm(rows[:, rows.shape[1] // 2], axis=1) >= 1e-6
    return np.asarray(fine)


def _apart(times: AnyArray, rows: AnyArray) -> tuple[AnyArray, AnyArray]:
    """Which keys stay, and when: of several at one time the last, and the first just before it where it jumps."""
    kept, moved = np.ones(len(times), bool), times.copy()
    written = times.astype(np.float32)
    start = 0
    while start < len(times):
        end = start
        while end + 1 < len(times) and written[end + 1] == written[start]:
            end += 1
        if end > start:
            kept[start:end] = False
            before = moved[start] - _JUST_BEFORE
            if (
                before > (moved[start - 1] if start else -1)
                and before >= 0
                and not np.array_equal(rows[start], rows[end])
            ):
                kept[start], moved[start] = True, before
        start = end + 1
    return kept, moved
