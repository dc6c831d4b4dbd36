"""Two scenes of any origin side by side: do they show and do the same? Parts may be called and cut otherwise."""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np
from scipy.spatial import cKDTree

from pruxel.core.base.arrays import AnyArray
from pruxel.core.deliver.proof.checks import Check, Tolerances
from pruxel.core.extract.clips import extent_of
from pruxel.core.scene.model import Clip, Scene
from pruxel.core.scene.pose import posed, standing

_SHARES = (0.0, 0.25, 0.5, 0.75, 1.0)
_NEAR = 8  # triangles that lie at one place are told apart by their corners


def compare_scenes(one: Scene, other: Scene, t: Tolerances) -> list[Check]:
    """Triangles with where they stand, face and map to, names of materials and joints, clips and what they move.

    What only one of the two can say (UVs, say, of a format that has none) is left out, not counted against it.
    """
    a, b = _Soup(one), _Soup(other)
    checks = [Check("triangles", f"{a.count:,}", f"{b.count:,}", a.count == b.count)]
    if not (a.count and b.count and checks[0].passed):
        return checks
    partner, apart = _partners(a, b)
    room = max(float(np.linalg.norm(np.ptp(a.centers, axis=0))), 1e-12)
    worst = float(apart.max())
    words = "all at the same places" if worst <= t.length * room else f"the farthest is {worst:.4g} m off"
    checks.append(Check("where triangles stand", f"{room:.4g} m across", words, worst <= t.length * room))
    turned = (a.directions * b.directions[partner]).sum(axis=1)
    sized = (np.linalg.norm(a.directions, axis=1) > 0) & (np.linalg.norm(b.directions[partner], axis=1) > 0)
    inside_out = int((turned[sized] < 0).sum())
    checks.append(Check("sides that show", f"{a.count:,}", f"{inside_out:,} inside out", inside_out == 0))
    if a.uvs is not None and b.uvs is not None:
        off = float(np.abs(a.uvs - b.uvs[partner]).max())
        words = "the same" if off <= 10 * t.uv else f"up to {off:.4g} off"
        checks.append(Check("middles of triangles in textures", f"{a.count:,}", words, off <= 10 * t.uv))
    checks += _names("materials", [m.name for m in one.materials], [m.name for m in other.materials])
    checks += _names("joints", _joints(one), _joints(other))
    checks += _clips(one, other, partner, t.length * room, t)
    return checks


class _Soup:
    """All triangles of a scene as it stands: middles (m, 3), directions (m, 3), middles in the first UV set (m, 2)."""

    def __init__(self, scene: Scene) -> None:
        middles, directions, uvs = [], [], []
        mapped = True
        for _, _, mesh in standing(scene):
            for p in mesh.primitives:
                corners = p.positions[p.indices].astype(np.float64)
                middles.append(corners.mean(axis=1))
                normal = np.cross(corners[:, 1] - corners[:, 0], corners[:, 2] - corners[:, 0])
                length = np.linalg.norm(normal, axis=1, keepdims=True)
                directions.append(np.where(length > 0, normal / np.maximum(length, 1e-300), 0.0))
                mapped = mapped and bool(p.uvs)
                if mapped:
                    uvs.append(p.uvs[0][p.indices].astype(np.float64).mean(axis=1))
        self.centers: AnyArray = np.concatenate(middles) if middles else np.zeros((0, 3))
        self.directions: AnyArray = np.concatenate(directions) if directions else np.zeros((0, 3))
        self.uvs: AnyArray | None = np.concatenate(uvs) if mapped and uvs else None
        self.count = len(self.centers)


def _partners(a: _Soup, b: _Soup) -> tuple[AnyArray, AnyArray]:
    """(m,) the triangle of the other scene for each of this one, and how far apart they lie.

    Of several at one place, the one that faces and maps alike.
    """
    many = min(_NEAR, b.count)
    far, near = cKDTree(b.centers).query(a.centers, k=many)
    far, near = far.reshape(a.count, many), near.reshape(a.count, many)

    reach = far[:, :1] + 1e-6 * max(float(np.ptp(a.centers)), 1e-12)
    unlike = 1 - np.einsum("ij,ikj->ik", a.directions, b.directions[near])
    if a.uvs is not None and b.uvs is not None:
        unlike = unlike + np.abs(a.uvs[:, None] - b.uvs[near]).sum(axis=2)
    cost = np.where(far <= reach, unlike, np.inf)
    chosen = cost.argmin(axis=1)
    row = np.arange(a.count)
    return near[row, chosen], far[row, chosen]


def _names(what: str, one: Sequence[str], other: Sequence[str]) -> list[Check]:
    """Names of both, where both have any; others are worth telling, not wrong."""
    if not one or not other:
        return []
    lost = sorted(set(one) - set(other))
    words = f"{len(other):,}, the same names" if not lost else f"{len(other):,}, without '{lost[0]}'"
    return [Check(what, f"{len(one):,}", words, passed=True, warning=bool(lost))]


def _joints(scene: Scene) -> list[str]:
    return [scene.nodes[joint].name for joint in dict.fromkeys(j for skin in scene.skins for j in skin.joints)]


def _clips(one: Scene, other: Scene, partner: AnyArray, reach: float, t: Tolerances) -> list[Check]:
    """Clips of the same name: how long they are, and where every triangle is on the way."""
    if not one.clips or not other.clips:
        return []
    by_name = {clip.name: clip for clip in other.clips}
    checks = [Check("clips", f"{len(one.clips):,}", f"{len(other.clips):,}", len(one.clips) == len(other.clips))]
    for clip in one.clips:
        twin = by_name.get(clip.name)
        if twin is None:
            checks.append(Check(f"clip '{clip.name}'", "there", "not there", passed=False))
            continue
        seconds, theirs = extent_of(clip.channels)[0], extent_of(twin.channels)[0]
        alike = abs(seconds - theirs) <= t.seconds
        checks.append(Check(f"length of '{clip.name}'", f"{seconds:.3f} s", f"{theirs:.3f} s", alike))
        worst = max(_moved_apart(one, clip, other, twin, share * seconds, partner) for share in _SHARES)
        words = "all at the same places" if worst <= 10 * reach else f"up to {worst:.4g} m off"
        checks.append(Check(f"triangles during '{clip.name}'", f"{len(_SHARES)} moments", words, worst <= 10 * reach))
    return checks


def _moved_apart(one: Scene, clip: Clip, other: Scene, twin: Clip, seconds: float, partner: AnyArray) -> float:
    first, second = _Soup(posed(one, clip, seconds)), _Soup(posed(other, twin, seconds))
    return float(np.linalg.norm(first.centers - second.centers[partner], axis=1).max(initial=0))
