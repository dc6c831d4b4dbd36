"""The movement of one skeleton carried over to another.

Rotations go by what a joint has turned in the world since it rested, laid onto how its partner rests: a limb that rests
otherwise (arms down against arms out) is first turned into the rest of the source, along the tree. Places go by the
lengths of limbs, the way of the whole by all limbs together.
"""

from __future__ import annotations

from collections.abc import Iterator, Mapping, Sequence
from dataclasses import dataclass, replace
from itertools import permutations, product

import numpy as np

from pruxel.core.base.arrays import DoubleArray
from pruxel.core.fit.chains import Between, shared_joints, shared_turn
from pruxel.core.fit.pairing import Pair, Skeleton
from pruxel.core.geometry.euler import arcs, inverses, on_one_side, products, turned
from pruxel.core.geometry.transforms import turns_of
from pruxel.core.scene.keys import at_times, laid
from pruxel.core.scene.model import ChannelPath, Clip, ClipChannel, Scene
from pruxel.core.scene.motion_at import worlds
from pruxel.core.scene.top_movers import moments_for
from pruxel.core.scene.walk import every_in_order, local_matrix, parents_of, world_from_local

_SAME = 1e-5
_STILL = 1e-6
_MOST_NUMBERS = 4_000_000  # of matrices that are held at once


@dataclass(frozen=True, eq=False)
class Fit:
    """What a transfer works with: partners as node numbers, the turn (4,) between the worlds, the ratio of sizes.

    `between` are joints without a partner that share what the joints around them turn.
    """

    source: Scene
    target: Scene
    partner: Mapping[int, int]
    turn: DoubleArray
    ratio: float
    lean: Mapping[int, DoubleArray]
    between: Mapping[int, Between]


def fitted(
    source: Scene, target: Scene, a: Skeleton, b: Skeleton, pairs: Sequence[Pair], turn: DoubleArray | None = None
) -> Fit:
    """Prepare for all clips of the source: how the skeletons are turned, sized and rest against each other.

    `turn` (4,) xyzw, where it is known how the worlds are turned.
    """
    number_a, number_b = (dict(zip(s.names[::-1], s.nodes[::-1], strict=True)) for s in (a, b))
    partner = {number_b[pair.target]: number_a[pair.source] for pair in pairs}
    rest_a, rest_b = world_from_local(source), world_from_local(target)
    turn = _between_worlds(rest_a, rest_b, partner) if turn is None else turn
    lean = _leans(target, rest_a, rest_b, partner, turn)
    ratio = _ratio(rest_a, rest_b, partner, parents_of(target))
    return Fit(source, target, partner, turn, ratio, lean, shared_joints(b, partner))


def carried_over(fit: Fit, clip: Clip) -> Clip:
    """The clip on the target's nodes; where both skeletons rest alike its very keys."""
    taken = _as_they_are(fit, clip)
    clip = _looking(fit, clip)
    if taken is not None and not fit.between:
        return replace(clip, channels=taken)
    seconds = moments_for(clip)
    shapes = _shaped(fit, clip)
    if not len(seconds):
        return replace(clip, channels=tuple(shapes))
    # A long clip is worked through in stretches: all its matrices at once would fill the memory.
    stretch = max(1, _MOST_NUMBERS // (16 * max(len(fit.source.nodes), len(fit.target.nodes))))
    turned, placed = dict[int, list[DoubleArray]](), dict[int, list[DoubleArray]]()
    for start in range(0, len(seconds), stretch):
        part = seconds[start : start + stretch]
        moved = worlds(fit.source, clip, part)
        for node, rows in _turned(fit, moved):
            turned.setdefault(node, []).append(rows)
        for node, rows in _placed(fit, clip, moved, part):
            placed.setdefault(node, []).append(rows)
    if taken is not None:
        sharing = {node: rows for node, rows in turned.items() if node in fit.between}
        return replace(clip, channels=(*taken, *_moving(sharing, "rotation", seconds, fit.target)))
    channels = [
        *_moving(turned, "rotation", seconds, fit.target),
        *_moving(placed, "translation", seconds, fit.target),
        *_sized(fit, clip, seconds),
        *shapes,
    ]
    return replace(clip, channels=tuple(channels))


def _moving(
    rows: Mapping[int, list[DoubleArray]], path: ChannelPath, seconds: DoubleArray, target: Scene
) -> list[ClipChannel]:
    """Channels of what does not stay as it rests."""
    found = []
    for node, stretches in rows.items():
        whole = np.concatenate(stretches)
        if path == "rotation":
            whole = on_one_side(whole)
            rest = turns_of(local_matrix(target.nodes[node])[None])[1][0]
            stays = np.abs(whole - rest * np.sign(whole @ rest)[:, None]).max() <= _STILL
        else:
            stays = np.abs(whole - np.asarray(target.nodes[node].translation)).max() <= _STILL
        if not stays:
            found.append(laid(node, path, seconds, whole))
    return found


def _shaped(fit: Fit, clip: Clip) -> list[ClipChannel]:
    """How much shapes count, on parts of the same name that have as many."""
    number = {node.name: n for n, node in enumerate(fit.target.nodes)}
    found = []
    for channel in clip.channels:
        node = number.get(fit.source.nodes[channel.node].name)
        if channel.path == "weights" and node is not None:
            theirs = _shapes_of(fit.source, channel.node)
            if theirs and theirs == _shapes_of(fit.target, node):
                found.append(replace(channel, node=node))
    return found


def _looking(fit: Fit, clip: Clip) -> Clip:
    """The clip with what it shows and how things look on partners, and on parts and materials of the same names."""
    if not clip.shown and not clip.looks:
        return clip
    back = {a: b for b, a in fit.partner.items()}
    parts = {node.name: n for n, node in enumerate(fit.target.nodes)}
    materials = {one.name: n for n, one in enumerate(fit.target.materials)}
    shown = [(back.get(one.node, parts.get(fit.source.nodes[one.node].name)), one) for one in clip.shown]
    looks = [(materials.get(fit.source.materials[one.material].name), one) for one in clip.looks]
    return replace(
        clip,
        shown=tuple(replace(one, node=node) for node, one in shown if node is not None),
        looks=tuple(replace(one, material=number) for number, one in looks if number is not None),
    )


def _shapes_of(scene: Scene, node: int) -> int:
    mesh = scene.nodes[node].mesh
    return 0 if mesh is None else max((len(p.targets) for p in scene.meshes[mesh].primitives), default=0)


def _as_they_are(fit: Fit, clip: Clip) -> tuple[ClipChannel, ...] | None:
    """The channels on the partners, where all that moves has one that rests just so below one that is the same."""
    back = {a: b for b, a in fit.partner.items()}
    above_a, above_b = parents_of(fit.source), parents_of(fit.target)
    world_a, world_b = world_from_local(fit.source), world_from_local(fit.target)
    for channel in clip.channels:
        node = channel.node
        if channel.path == "weights" or node not in back:
            return None
        mine, theirs = local_matrix(fit.source.nodes[node]), local_matrix(fit.target.nodes[back[node]])
        if np.abs(mine - theirs).max() > _SAME * max(1.0, float(np.abs(mine).max())):
            return None
        p, q = above_a[node], above_b[back[node]]
        same = (p < 0 and q < 0) or back.get(p) == q
        if not same:
            up_a = world_a[p] if p >= 0 else np.eye(4)
            up_b = world_b[q] if q >= 0 else np.eye(4)
            if p in back or np.abs(up_a - up_b).max() > _SAME:
                return None
    return tuple(replace(channel, node=back[channel.node]) for channel in clip.channels)


def _between_worlds(rest_a: DoubleArray, rest_b: DoubleArray, partner: Mapping[int, int]) -> DoubleArray:
    """The turn (4,), by right angles, after which the source rests as the target does (Kabsch, then the nearest)."""
    if len(partner) < 3:
        return np.array([0.0, 0.0, 0.0, 1.0])
    b = np.array([rest_b[n, :3, 3] for n in partner])
    a = np.array([rest_a[n, :3, 3] for n in partner.values()])
    a, b = a - a.mean(axis=0), b - b.mean(axis=0)
    spread = b.T @ a / ((np.linalg.norm(a) * np.linalg.norm(b)) or 1.0)
    best = max(right_angles(), key=lambda turn: float(np.trace(turn.T @ spread)))
    plain = float(np.trace(spread))
    # What is about as good is no turn.
    if plain >= float(np.trace(best.T @ spread)) - 0.05:
        best = np.eye(3)
    whole = np.eye(4)
    whole[:3, :3] = best
    return turns_of(whole[None])[1][0]


def right_angles() -> list[DoubleArray]:
    """The 24 turns that bring axes onto axes."""
    found = []
    for order in permutations(range(3)):
        for signs in product((1.0, -1.0), repeat=3):
            turn = np.zeros((3, 3))
            for row, (column, sign) in enumerate(zip(order, signs, strict=True)):
                turn[row, column] = sign
            if np.linalg.det(turn) > 0:
                found.append(turn)
    return found


def _ratio(rest_a: DoubleArray, rest_b: DoubleArray, partner: Mapping[int, int], above: Sequence[int]) -> float:
    """How many times as long the target's limbs are, all together, however they are held."""
    mine = theirs = 0.0
    for node, joint in partner.items():
        up = _partner_above(node, above, partner)
        if up >= 0:
            mine += float(np.linalg.norm(rest_b[node, :3, 3] - rest_b[up, :3, 3]))
            theirs += float(np.linalg.norm(rest_a[joint, :3, 3] - rest_a[partner[up], :3, 3]))
    return mine / theirs if mine > 0 and theirs > 0 else 1.0


def _partner_above(node: int, above: Sequence[int], partner: Mapping[int, int]) -> int:
    """The nearest node above that has a partner, -1 for none."""
    at = above[node]
    while at >= 0 and at not in partner:
        at = above[at]
    return at


def _leans(
    target: Scene, rest_a: DoubleArray, rest_b: DoubleArray, partner: Mapping[int, int], turn: DoubleArray
) -> dict[int, DoubleArray]:
    """By target node: the turn (4,) in the world that brings its limb from how it rests to how the source's rests.

    A joint with one partner below leans by the shortest arc after what the joint above it leans; one with several, or
    none, leans as the one above.
    """
    above = parents_of(target)
    below: dict[int, list[int]] = {node: [] for node in partner}
    for node in partner:
        up = _partner_above(node, above, partner)
        if up >= 0:
            below[up].append(node)
    none = np.array([0.0, 0.0, 0.0, 1.0])
    lean: dict[int, DoubleArray] = {}
    for node in every_in_order(target):
        inherited = lean.get(above[node], none)
        lean[node] = inherited
        if node not in partner or len(below[node]) != 1:
            continue
        child = below[node][0]
        mine = rest_b[child, :3, 3] - rest_b[node, :3, 3]
        theirs = rest_a[partner[child], :3, 3] - rest_a[partner[node], :3, 3]
        if np.linalg.norm(mine) < _STILL or np.linalg.norm(theirs) < _STILL:
            continue
        lean[node] = products(arcs(turned(inherited, mine)[None], turned(turn, theirs)[None])[0], inherited)
    return lean


def _turned(fit: Fit, moved: DoubleArray) -> Iterator[tuple[int, DoubleArray]]:
    """The (m, 4) rotations of target joints that have a partner or share, by (m, n, 4, 4) places of the source."""
    rest_a = turns_of(world_from_local(fit.source))[1]
    places_b, rest_b, _ = turns_of(world_from_local(fit.target))
    above = parents_of(fit.target)
    worlds_b: dict[int, DoubleArray] = {}

    def led(node: int) -> DoubleArray:
        """The turn in the world of a joint with a partner, whatever is above it."""
        joint = fit.partner[node]
        gone = products(turns_of(moved[:, joint])[1], inverses(rest_a[joint])[None])
        gone = products(products(fit.turn[None], gone), inverses(fit.turn)[None])
        return products(gone, products(fit.lean[node], rest_b[node])[None])

    for node in every_in_order(fit.target):
        up = worlds_b.get(above[node], np.array([[0.0, 0.0, 0.0, 1.0]]))
        if node in fit.partner:
            worlds_b[node] = led(node)
        elif node in fit.between:
            worlds_b[node] = shared_turn(fit.between[node], node, led, rest_b, places_b)
        else:
            worlds_b[node] = products(up, turns_of(local_matrix(fit.target.nodes[node])[None])[1])
            continue
        yield node, products(inverses(up), worlds_b[node])


def _placed(fit: Fit, clip: Clip, moved: DoubleArray, seconds: DoubleArray) -> Iterator[tuple[int, DoubleArray]]:
    """The (m, 3) translations: the topmost joint goes the way of its partner, others that have keys their share."""
    world_a, world_b = world_from_local(fit.source), world_from_local(fit.target)
    above_a, above_b = parents_of(fit.source), parents_of(fit.target)
    keyed = {channel.node: channel for channel in clip.channels if channel.path == "translation"}
    for node, joint in fit.partner.items():
        if _partner_above(node, above_b, fit.partner) < 0:
            way, ratio = moved[:, joint, :3, 3] - world_a[joint, :3, 3], fit.ratio
        elif joint in keyed:
            local = at_times(keyed[joint], seconds) - np.asarray(fit.source.nodes[joint].translation)
            way = local @ _linear_above(world_a, above_a, joint).T
            limb = _limb(world_a, above_a, joint)
            ratio = _limb(world_b, above_b, node) / limb if limb > 0 else fit.ratio
        else:
            continue
        into = np.linalg.pinv(_linear_above(world_b, above_b, node)).T
        yield node, np.asarray(fit.target.nodes[node].translation) + (ratio * turned(fit.turn, way)) @ into


def _sized(fit: Fit, clip: Clip, seconds: DoubleArray) -> list[ClipChannel]:
    """Scale keys: what each joint grows by since it rested."""
    back = {a: b for b, a in fit.partner.items()}
    found = []
    for channel in clip.channels:
        if channel.path != "scale" or channel.node not in back:
            continue
        rest = np.asarray(fit.source.nodes[channel.node].scale)
        node = back[channel.node]
        grown = at_times(channel, seconds) / np.where(rest == 0, 1.0, rest)
        found.append(laid(node, "scale", seconds, grown * np.asarray(fit.target.nodes[node].scale)))
    return found


def _linear_above(world: DoubleArray, above: Sequence[int], node: int) -> DoubleArray:
    return world[above[node], :3, :3] if above[node] >= 0 else np.eye(3)


def _limb(world: DoubleArray, above: Sequence[int], node: int) -> float:
    return float(np.linalg.norm(world[node, :3, 3] - world[above[node], :3, 3])) if above[node] >= 0 else 0.0
