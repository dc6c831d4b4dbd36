"""A skeleton without a mesh, and one clip that holds all that was captured."""

from __future__ import annotations

import re
from collections.abc import Iterator, Sequence
from dataclasses import replace

import numpy as np

from pruxel.core.base.arrays import DoubleArray
from pruxel.core.base.context import Context
from pruxel.core.base.errors import ErrorCode, Fault, InputError
from pruxel.core.formats.bvh.hierarchy import Joint, joints_of
from pruxel.core.formats.registry import Find, ReadResult
from pruxel.core.geometry.euler import on_one_side, turns_about
from pruxel.core.scene.checks import entered
from pruxel.core.scene.edit import tree_of, unique_names
from pruxel.core.scene.keys import laid
from pruxel.core.scene.model import Clip, ClipChannel, Node, Scene, Skin
from pruxel.core.scene.origin import Origin
from pruxel.core.scene.reframe import reframed
from pruxel.core.scene.walk import world_from_local

_BEGIN = re.compile(rb"(?:\xef\xbb\xbf)?\s*HIERARCHY\s+ROOT\b", re.IGNORECASE)
_MOTION = re.compile(rb"^[ \t]*MOTION\b", re.IGNORECASE | re.MULTILINE)
_FRAMES = re.compile(rb"\bFrames:\s*(\S+)", re.IGNORECASE)
_SECONDS = re.compile(rb"\bFrame\s+Time:\s*(\S+)", re.IGNORECASE)
_CHUNK = 4 << 20
_LARGEST = 1e30
_USUAL_SECONDS = 1 / 30
# Nobody is taller than this many metres; a skeleton that is was measured in centimetres.
_TALLEST = 5.0


def begins(head: bytes) -> bool:
    """Whether first bytes are of this format."""
    return _BEGIN.match(head) is not None


def read(data: memoryview, name: str, _find: Find, context: Context) -> ReadResult:
    """One skeleton and one clip; raises `InputError`. Y is taken as up; the unit by the size of the skeleton."""
    context.progress(0.0, name)
    if len(data) > context.limits.text_bytes:
        raise InputError(ErrorCode.BUDGET, "the text is larger than one file may be", file=name)
    text = bytes(data)
    motion = _MOTION.search(text)
    end = motion.start() if motion else len(text)
    lines = text[:end].decode("utf-8-sig", "replace").splitlines()
    joints = joints_of([" ".join(line.split()) for line in lines], name, context.limits)
    faults, notes = list[Fault](), list[str]()
    stem = name.rsplit("/", 1)[-1].rsplit(".", 1)[0]
    nodes, roots = tree_of(
        unique_names([Node(one.name, translation=one.offset, origin=Origin(entry=name)) for one in joints]),
        [one.above for one in joints],
    )
    standing = Scene(stem, nodes=nodes, roots=roots)
    bind = np.linalg.inv(world_from_local(standing)).astype(np.float64)
    channels = _channels(joints, text[end:], name, faults, notes, context) if motion else ()
    clips = (Clip(stem, channels, origin=Origin(entry=name)),) if channels else ()
    scene = replace(standing, skins=(Skin("skeleton", tuple(range(len(nodes))), bind),), clips=clips)
    tall = float(np.ptp(bind[:, :3, 3], axis=0).max())
    unit, metres = ("centimetres", 0.01) if tall > _TALLEST else ("metres", 1.0)
    notes.insert(0, f"unit taken as {unit}, since the file does not say and its skeleton is {tall:.3g} units tall")
    whole = replace(reframed(scene, np.eye(3), metres), notes=tuple(notes))
    return ReadResult(entered(whole, name), tuple(faults))


def _channels(
    joints: Sequence[Joint], text: bytes, file: str, faults: list[Fault], notes: list[str], context: Context
) -> tuple[ClipChannel, ...]:
    width = sum(len(one.channels) for one in joints)
    head = _SECONDS.search(text)
    try:
        seconds = float(head[1]) if head else 0.0
    except ValueError:
        seconds = 0.0
    if not 1e-5 < seconds < 1e3:
        seconds = _USUAL_SECONDS
        notes.append(f"{file}: the time between frames is not told; taken as 1/30 s")
    rows = _rows(text[head.end() if head else 0 :], width, file, faults, context)
    said = _FRAMES.search(text)
    told = int(said[1]) if said is not None and said[1].isdigit() else len(rows)
    if told > len(rows) and not faults:
        words = "the file ends before its last frame"
        faults.append(Fault(ErrorCode.TRUNCATED, words, file=file, expected=f"{told:,} frames", found=f"{len(rows):,}"))
    elif told < len(rows):
        notes.append(f"{file}: {len(rows):,} frames are there, {told:,} are told of; all are taken")
    times = np.arange(len(rows), dtype=np.float64) * seconds
    found, column = list[ClipChannel](), 0
    for number, joint in enumerate(joints):
        found += _moved(number, joint, times, rows[:, column : column + len(joint.channels)])
        column += len(joint.channels)
    return tuple(found)


def _moved(node: int, joint: Joint, times: DoubleArray, rows: DoubleArray) -> Iterator[ClipChannel]:
    """The keys of one joint; nothing for one that stays as it rests.

    Turns are about the axes of the joint as they are named, each about axes that those before have turned.
    """
    if not len(rows):
        return
    turning = [k for k, what in enumerate(joint.channels) if what.endswith("rotation")][::-1]
    if turning and rows[:, turning].any():
        order = "".join(joint.channels[k][0] for k in turning)
        turns = turns_about(np.radians(rows[:, turning]), order)
        yield laid(node, "rotation", times, on_one_side(turns))
    shifting = [k for k, what in enumerate(joint.channels) if what.endswith("position")]
    if shifting:
        offset = np.array(joint.offset)
        ways = np.zeros((len(rows), 3))
        axes = ["xyz".index(joint.channels[k][0]) for k in shifting]
        ways[:, axes] = rows[:, shifting]
        # Some programs write the whole way from the joint above, some what comes on top of its rest.
        middle = np.median(ways, axis=0)
        if np.linalg.norm(middle - offset) > np.linalg.norm(middle):
            ways += offset
        if not np.allclose(ways, offset, atol=1e-6):
            yield laid(node, "translation", times, ways)


def _rows(text: bytes, width: int, file: str, faults: list[Fault], context: Context) -> DoubleArray:
    """(frames, width) the numbers of whole frames before the first word that is none."""
    if not width:
        return np.zeros((0, 0))
    pieces, count, start = list[DoubleArray](), 0, 0
    while start < len(text):
        context.check()
        end = min(start + _CHUNK, len(text))
        if end < len(text):
            end = max(text.rfind(b"\n", start, end), text.rfind(b" ", start, end)) + 1 or len(text)
            end = end if end > start else len(text)
        words = text[start:end].split()
        try:
            numbers = np.array(words, "S").astype(np.float64)
        except ValueError:
            numbers = _before_the_first_wrong(words, count, width, file, faults)
            start = len(text)
        pieces.append(numbers)
        count += len(numbers)
        start = max(start, end)
    whole = np.concatenate([np.zeros(0), *pieces])
    whole[~(np.abs(whole) <= _LARGEST)] = np.nan  # a key of it is told and left out
    frames = len(whole) // width
    if len(whole) % width and not faults:
        short = f"the last frame has {len(whole) % width:,} numbers"
        faults.append(Fault(ErrorCode.TRUNCATED, short, file=file, expected=f"{width:,} numbers a frame"))
    return whole[: frames * width].reshape(frames, width)


def _before_the_first_wrong(words: list[bytes], count: int, width: int, file: str, faults: list[Fault]) -> DoubleArray:
    found = list[float]()
    for word in words:
        try:
            found.append(float(word))
        except ValueError:
            frame, at = divmod(count + len(found), width)
            faults.append(
                Fault(
                    ErrorCode.MALFORMED,
                    "a number of a frame cannot be read; the frames before it are kept",
                    file=file,
                    field=f"frame {frame:,}, number {at:,}",
                    expected="a number",
                    found=repr(word[:40])[2:-1],
                )
            )
            break
    return np.array(found, np.float64)
