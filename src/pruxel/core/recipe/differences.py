"""What one version of an entry has instead of another, in a few lines that mean something for its kind."""

from __future__ import annotations

import difflib
from collections.abc import Callable, Iterable
from itertools import islice

import numpy as np

from pruxel.core.base.context import Context
from pruxel.core.base.errors import InputError
from pruxel.core.images.decode import decode_image
from pruxel.core.knowledge.kinds import Kind
from pruxel.core.recipe.inputs import Opener
from pruxel.core.scene.measure import SceneFacts, measure
from pruxel.core.scene.walk import joint_tree

_MOST_NAMES = 4
_MOST_LINES = 5_000
Describe = Callable[[Opener, str, str, Context], list[str]]


def describe_difference(opened: Opener, this: str, other: str, context: Context) -> list[str]:
    """What the entry at path `this` has where `other` has something else; empty for equal bytes.

    Lines by the entry's kind where both can be opened, and always one about the bytes. Raises `InputError` when
    either cannot be read at all.
    """
    mine, theirs = opened.stack.read(this, context), opened.stack.read(other, context)
    if mine == theirs:
        return []
    describe = _BY_KIND.get(opened.stack.kind_of(this) or Kind.UNKNOWN)
    lines: list[str] = []
    if describe is not None:
        try:
            lines = describe(opened, this, other, context)
        except InputError as error:
            lines = [f"not to be compared as what it is: {error.fault.message}"]
    return [*lines, _bytes(mine, theirs)]


def _bytes(mine: memoryview, theirs: memoryview) -> str:
    """Where the bytes part, and how many of the shared length differ."""
    shared = min(len(mine), len(theirs))
    differ = np.frombuffer(mine, np.uint8)[:shared] != np.frombuffer(theirs, np.uint8)[:shared]
    first = int(differ.argmax()) if differ.any() else shared
    words = f"bytes differ from {first:,} on"
    if len(mine) != len(theirs):
        return f"{words}; {len(mine):,} instead of {len(theirs):,}"
    return f"{words}; {int(differ.sum()):,} of {shared:,} are others"


def _instead(what: str, mine: object, theirs: object) -> list[str]:
    return [] if mine == theirs else [f"{what} {mine} instead of {theirs}"]


def _came_and_went(what: str, mine: Iterable[str], theirs: Iterable[str]) -> list[str]:
    here, there = list(dict.fromkeys(mine)), list(dict.fromkeys(theirs))
    lines = []
    for word, names in (
        ("more", [n for n in here if n not in there]),
        ("lacking", [n for n in there if n not in here]),
    ):
        if names:
            rest = f" and {len(names) - _MOST_NAMES:,} others" if len(names) > _MOST_NAMES else ""
            lines.append(f"{what} {word}: {', '.join(names[:_MOST_NAMES])}{rest}")
    return lines


def _texture(opened: Opener, this: str, other: str, context: Context) -> list[str]:
    mine, theirs = (decode_image(opened.picture(path, context), path, context.limits) for path in (this, other))
    a, b = mine.info, theirs.info
    lines = [
        *_instead("texels", f"{a.width} × {a.height}", f"{b.width} × {b.height}"),
        *_instead("encoding", a.encoding, b.encoding),
        *_instead("mips", a.mips, b.mips),
    ]
    if mine.rgba.shape == theirs.rgba.shape:
        apart = np.abs(mine.rgba.astype(np.int16) - theirs.rgba)
        changed = apart.any(axis=2)
        levels = f", by {int(apart.max())} of 255 at the most" if changed.any() else ""
        lines.append(f"{changed.mean():.1%} of the texels differ{levels}")
    return lines


def _scene(opened: Opener, this: str, other: str, context: Context) -> list[str]:
    first, second = opened.scene([this], context), opened.scene([other], context)
    mine, theirs = measure(first), measure(second)
    return [
        *_instead("triangles", f"{mine.triangles:,}", f"{theirs.triangles:,}"),
        *_instead("vertices", f"{mine.vertices:,}", f"{theirs.vertices:,}"),
        *_instead("size", _size(mine), _size(theirs)),
        *_came_and_went("parts", (p.name for p in mine.parts), (p.name for p in theirs.parts)),
        *_came_and_went("materials", mine.materials, theirs.materials),
        *_came_and_went("textures", mine.textures, theirs.textures),
        *_came_and_went("joints", (name for name, _ in joint_tree(first)), (name for name, _ in joint_tree(second))),
    ]


def _size(facts: SceneFacts) -> str:
    return " × ".join(f"{side:.3g}" for side in facts.size) + " m"


def _clips(opened: Opener, this: str, other: str, context: Context) -> list[str]:
    mine, theirs = ({clip.name: clip for clip in opened.clips(path, context)} for path in (this, other))
    lines = _came_and_went("clips", mine, theirs)
    for name in mine.keys() & theirs.keys():
        a, b = mine[name], theirs[name]
        lines += _instead(name, f"{a.seconds:.2f} s, {a.frames} frames", f"{b.seconds:.2f} s, {b.frames} frames")
    return lines


def _material(opened: Opener, this: str, other: str, context: Context) -> list[str]:
    mine, theirs = (opened.material(path, context).material for path in (this, other))
    lines = []
    for name in ("base_color", "metallic", "roughness", "emissive", "alpha_mode", "alpha_cutoff", "double_sided"):
        lines += _instead(name.replace("_", " "), getattr(mine, name), getattr(theirs, name))
    named = (opened.mentions(path, context) for path in (this, other))
    return [*lines, *_came_and_went("textures", *named)]


def _level(opened: Opener, this: str, other: str, context: Context) -> list[str]:
    mine, theirs = (opened.level(path, context) for path in (this, other))
    lines = _instead("things", f"{len(mine.placements.model):,}", f"{len(theirs.placements.model):,}")
    return [*lines, *_came_and_went("models", mine.models, theirs.models)]


def _table(opened: Opener, this: str, other: str, context: Context) -> list[str]:
    mine, theirs = (opened.rows(path, context) for path in (this, other))
    lines = _instead("rows", f"{len(mine):,}", f"{len(theirs):,}")
    if mine and theirs:
        lines += _came_and_went("columns", mine[0], theirs[0])
        code = next(iter(mine[0]))
        a, b = ({row.get(code, ""): row for row in rows} for rows in (mine, theirs))
        lines += _came_and_went("rows", a, b)
        changed = [name for name in a.keys() & b.keys() if a[name] != b[name]]
        lines += [f"rows that say something else: {', '.join(sorted(changed)[:_MOST_NAMES])}"] if changed else []
    return lines


def _text(opened: Opener, this: str, other: str, context: Context) -> list[str]:
    mine, theirs = (
        bytes(opened.stack.read(path, context)).decode("utf-8", "replace").splitlines()[:_MOST_LINES]
        for path in (this, other)
    )
    after_names = islice(difflib.unified_diff(theirs, mine, n=0, lineterm=""), 2, None)
    changes = [line for line in after_names if line[0] in "+-"]
    more, fewer = (sum(line.startswith(mark) for line in changes) for mark in "+-")
    shown = [
        f"{'has' if line[0] == '+' else 'lacks'} “{line[1:].strip()[:80]}”" for line in islice(changes, _MOST_NAMES)
    ]
    return [f"lines of its own: {more:,}, lacking: {fewer:,}", *shown]


_BY_KIND: dict[Kind, Describe] = {
    Kind.TEXTURE: _texture,
    Kind.MODEL: _scene,
    Kind.SKELETON: _scene,
    Kind.CLIPS: _clips,
    Kind.MATERIAL: _material,
    Kind.LEVEL: _level,
    Kind.TABLE: _table,
    Kind.TEXT: _text,
}
