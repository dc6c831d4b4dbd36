"""Which joint of one skeleton is which of another: by names, by structure, by where they rest."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, replace

import numpy as np
from scipy.optimize import linear_sum_assignment

from pruxel.core.base.arrays import AnyArray, DoubleArray
from pruxel.core.base.errors import ErrorCode, UsageError
from pruxel.core.fit.joint_kinds import kinds_in
from pruxel.core.fit.joint_names import Meaning, plain, without_prefix
from pruxel.core.scene.model import Clip, Scene
from pruxel.core.scene.walk import bare_nodes, every_in_order, parents_of, world_from_local

_SAME, _ALIKE, _MEANT, _NEARLY, _BUILT = 1.0, 0.97, 0.9, 0.75, 0.7
_LEAST = 0.35
_WORDS = {
    _SAME: "the same name",
    _ALIKE: "the same name but for how it is written",
    _MEANT: "both mean {meaning}",
    _NEARLY: "both are a {meaning}",
}


@dataclass(frozen=True)
class Pair:
    """A joint of the source and the one of the target that it is, how sure that is (0 to 1), and why."""

    source: str
    target: str
    sureness: float
    why: str


@dataclass(frozen=True, eq=False)
class Skeleton:
    """Joints (n,) of a scene, each after the one above it.

    names; above (n,) the number of the nearest joint above, -1 for none; places (n, 3) at rest in the world.
    """

    nodes: tuple[int, ...]
    names: tuple[str, ...]
    above: AnyArray
    places: DoubleArray

    def lengths(self) -> tuple[DoubleArray, DoubleArray, DoubleArray]:
        """By joint: the way from the top, the longest way below, by the longest of all; how many ends are below."""
        count = len(self.nodes)
        down, below, ends = np.zeros(count), np.zeros(count), np.zeros(count)
        bones = np.zeros(count)
        for n in range(count):
            if self.above[n] >= 0:
                bones[n] = np.linalg.norm(self.places[n] - self.places[self.above[n]])
                down[n] = down[self.above[n]] + bones[n]
        for n in range(count - 1, -1, -1):
            ends[n] = ends[n] or 1
            if self.above[n] >= 0:
                below[self.above[n]] = max(below[self.above[n]], below[n] + bones[n])
                ends[self.above[n]] += ends[n]
        whole = float((down + below).max(initial=0.0)) or 1.0
        return down / whole, below / whole, ends

    def over(self) -> AnyArray:
        """(n, n) bool: whether the first stands above the second."""
        count = len(self.nodes)
        found = np.zeros((count, count), bool)
        for n in range(count):
            if self.above[n] >= 0:
                found[:, n] = found[:, self.above[n]]
                found[self.above[n], n] = True
        return found


def skeleton_of(scene: Scene) -> Skeleton:
    """The joints of all skins and what clips move, in the order of the tree; without a skin all nodes that are bare."""
    wanted = {joint for skin in scene.skins for joint in skin.joints} or bare_nodes(scene)
    wanted = wanted | {c.node for clip in scene.clips for c in clip.channels if c.path != "weights"}
    parents, world = parents_of(scene), world_from_local(scene)
    order = [node for node in every_in_order(scene) if node in wanted]
    number = {node: n for n, node in enumerate(order)}
    above = np.full(len(order), -1)
    for n, node in enumerate(order):
        at = parents[node]
        while at >= 0 and at not in number:
            at = parents[at]
        above[n] = number.get(at, -1)
    places = world[order, :3, 3] if order else np.zeros((0, 3))
    return Skeleton(tuple(order), tuple(scene.nodes[n].name for n in order), above, places)


def moved_by(scene: Scene, clips: Sequence[Clip]) -> set[str]:
    """The names of the nodes that clips move, but those whose shapes alone they move."""
    return {scene.nodes[c.node].name for clip in clips for c in clip.channels if c.path != "weights"}


def pair_joints(source: Skeleton, target: Skeleton, said: Mapping[str, str] | None = None) -> list[Pair]:
    """The most likely pairs, in the order of the source; `said` are those a person gave, "" for a joint without one.

    Each joint has at most one partner, and what stands above another stands above its partner.
    """
    given = dict(said or {})
    mine, theirs = kinds_in(source.names, source.above), kinds_in(target.names, target.above)
    score, level = _by_name(source, target, mine, theirs)
    built = _by_structure(source, target, mine, theirs)
    against = np.array([[_sides_differ(a, b) for b in theirs] for a in mine], bool).reshape(score.shape)
    score = np.where(against, 0.0, np.maximum(score, _BUILT * built) + 0.02 * built)
    row_of, column_of = _numbers(source.names), _numbers(target.names)
    for name, wanted in given.items():
        if name in row_of:
            score[row_of[name]] = 0.0
            if wanted in column_of:
                score[:, column_of[wanted]] = 0.0
                score[row_of[name], column_of[wanted]] = 10.0
    rows, columns = linear_sum_assignment(-score) if score.size else (np.zeros(0, int), np.zeros(0, int))
    found = sorted(
        ((float(score[r, c]), int(r), int(c)) for r, c in zip(rows, columns, strict=True) if score[r, c] >= _LEAST),
        key=lambda one: -one[0],
    )
    kept = _consistent(found, source.over(), target.over())
    return [
        Pair(
            source.names[r], target.names[c], min(value, 1.0),
            "said by hand" if value >= 10 else _why(level[r, c], mine[r], built[r, c]),
        )
        for value, r, c in sorted(kept, key=lambda one: one[1])
    ]  # fmt: skip


def met_joints(guest: Scene, scene: Scene, said: Sequence[str]) -> tuple[Skeleton, Skeleton, list[Pair]]:
    """The joints of clips from elsewhere and those of a scene, whatever its own clips move, and which is which.

    `said` are corrections, a line each; raises `UsageError` for one that is none.
    """
    theirs, ours = skeleton_of(guest), skeleton_of(replace(scene, clips=()))
    return theirs, ours, pair_joints(theirs, ours, corrections(said))


def corrections(lines: Sequence[str]) -> dict[str, str]:
    """What a person said, `theirs = ours` a line, by source joint; raises `UsageError` for a line that is none."""
    found = {}
    for line in lines:
        theirs, sign, ours = (part.strip() for part in line.partition("="))
        if not sign or not theirs:
            raise UsageError(
                ErrorCode.USAGE, "this is no pair of joints", field="pairs", expected="theirs = ours", found=line
            )
        found[theirs] = ours
    return found


def known_pairs(kept: Sequence[str], theirs: Sequence[str], ours: Sequence[str]) -> list[str]:
    """Corrections, `theirs = ours`, that kept pairs `one = other` mean for two skeletons: those of which both have one.

    Pairs are meant both ways, also of several skeletons; the first that speaks of a joint counts.
    """
    found: dict[str, str] = {}
    there, here = set(theirs), set(ours)
    for one, other in reversed(corrections(kept[::-1]).items()):
        for a, b in ((one, other), (other, one)):
            if a in there and a not in found and (b in here or not b) and (not b or b not in found.values()):
                found[a] = b
                break
    return [f"{a} = {b}".rstrip() for a, b in found.items()]


def _numbers(names: Sequence[str]) -> dict[str, int]:
    return {name: n for n, name in reversed(list(enumerate(names)))}


def _sides_differ(one: Meaning, other: Meaning) -> bool:
    return bool(one.side and other.side and one.side != other.side)


def _by_name(
    source: Skeleton, target: Skeleton, mine: list[Meaning], theirs: list[Meaning]
) -> tuple[DoubleArray, DoubleArray]:
    """(n, m) how much names are the same, and the level of sameness."""
    score = np.zeros((len(mine), len(theirs)))
    short_a = [plain(name) for name in without_prefix(source.names)]
    short_b = [plain(name) for name in without_prefix(target.names)]
    # Of several joints of one kind and side (a spine of three), which one it is: by its order among them.
    rank_a, rank_b = _ranks(mine), _ranks(theirs)
    for r, (name, flat, meant) in enumerate(zip(source.names, short_a, mine, strict=True)):
        for c, (other, flat_b, meant_b) in enumerate(zip(target.names, short_b, theirs, strict=True)):
            if flat == flat_b:
                score[r, c] = _SAME if name == other else _ALIKE
                # One word for two bones: the shoulder of one is the upper arm of the other.
                if meant.kind and meant_b.kind and not _kin(meant.kind, meant_b.kind):
                    score[r, c] = _NEARLY
            elif meant.kind and _kin(meant.kind, meant_b.kind) and meant.side == meant_b.side:
                score[r, c] = _MEANT if meant.kind == meant_b.kind and rank_a[r] == rank_b[c] else _NEARLY
    return score, score.copy()


def _kin(one: str, other: str) -> bool:
    """Whether two kinds may be the same bone: a leg is a thigh or a shin, a chest the last of a spine."""
    pair = {one, other}
    return one == other or pair <= {"spine", "chest"} or (("leg" in pair) and bool(pair & {"thigh", "shin"}))


def _ranks(meant: list[Meaning]) -> list[int]:
    seen: dict[tuple[str, str], int] = {}
    found = []
    for one in meant:
        key = (one.kind, one.side)
        seen[key] = seen.get(key, -1) + 1
        found.append(seen[key])
    return found


def _by_structure(source: Skeleton, target: Skeleton, mine: list[Meaning], theirs: list[Meaning]) -> DoubleArray:
    """(n, m) how alike joints stand in their trees, from 0 to 1, however limbs are held at rest."""
    a, b = source.lengths(), target.lengths()
    apart = sum(np.abs(one[:, None] - other[None]) for one, other in zip(a[:2], b[:2], strict=True))
    apart = apart + 0.25 * np.abs(np.log(a[2])[:, None] - np.log(b[2])[None])
    across = _across(source, mine)[:, None] - _across(target, theirs)[None]
    return np.exp(-4.0 * (apart + 1.5 * np.abs(across)))


def _across(skeleton: Skeleton, meant: list[Meaning]) -> DoubleArray:
    """(n,) how far to its left each joint rests, by the size of the skeleton; left is +X where no name tells."""
    left = [n for n, one in enumerate(meant) if one.side == "left"]
    right = [n for n, one in enumerate(meant) if one.side == "right"]
    axis = np.array([1.0, 0.0, 0.0])
    if left and right:
        way = skeleton.places[left].mean(axis=0) - skeleton.places[right].mean(axis=0)
        axis = way / (np.linalg.norm(way) or 1.0)
    if not len(skeleton.places):
        return np.zeros(0)
    size = float(np.ptp(skeleton.places, axis=0).max()) or 1.0
    return np.sign(np.round((skeleton.places - skeleton.places[0]) @ axis / size, 2)) * 0.15


def _consistent(
    found: list[tuple[float, int, int]], over_a: AnyArray, over_b: AnyArray
) -> list[tuple[float, int, int]]:
    """The pairs, the surest first, without those that turn above and below round."""
    kept = list[tuple[float, int, int]]()
    for value, r, c in found:
        rows = np.array([one[1] for one in kept], int)
        columns = np.array([one[2] for one in kept], int)
        turned = (over_a[rows, r] & over_b[c, columns]) | (over_a[r, rows] & over_b[columns, c])
        lost = (over_a[rows, r] != over_b[columns, c]) | (over_a[r, rows] != over_b[c, columns])
        # What is sure by its name may hang elsewhere; what is only built alike may not.
        if turned.any() or (value < _NEARLY and lost.any()):
            continue
        kept.append((value, r, c))
    return kept


def _why(level: float, meant: Meaning, built: float) -> str:
    words = next((said for least, said in _WORDS.items() if level == least), "")
    return words.format(meaning=meant.words()) or f"stands alike in the tree ({built:.0%})"
