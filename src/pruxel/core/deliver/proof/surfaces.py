"""Triangles corner by corner, as they were to be written and as they were read, and what differs between them."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import dataclass, field

import numpy as np

from pruxel.core.base.arrays import AnyArray, bounds, lengths
from pruxel.core.deliver.proof.checks import Check, Tolerances


@dataclass(frozen=True, eq=False)
class Surface:
    """Triangles of one part in the order of the file: a row a corner, or a vertex where `corners` (c,) say which.

    positions, normals (c, 3); uvs (c, 2) and colors (c, 4) one a set; joints (c, k) numbers of nodes and weights (c,
    k); materials, one a corner in any case, names as an object array, '' for none. What is None was not written and is
    not looked at.
    """

    name: str
    positions: AnyArray
    normals: AnyArray | None = None
    uvs: tuple[AnyArray, ...] = ()
    colors: tuple[AnyArray, ...] = ()
    joints: AnyArray | None = None
    weights: AnyArray | None = None
    materials: AnyArray = field(default_factory=lambda: np.zeros(0, object))
    corners: AnyArray | None = None

    @property
    def count(self) -> int:
        """How many corners it has."""
        return len(self.positions if self.corners is None else self.corners)

    def by_corner(self) -> Surface:
        """The same with a row a corner."""
        at = self.corners
        if at is None:
            return self

        def each(rows: AnyArray | None) -> AnyArray | None:
            return None if rows is None else rows.take(at, axis=0)

        return Surface(
            self.name,
            self.positions.take(at, axis=0),
            each(self.normals),
            tuple(uvs.take(at, axis=0) for uvs in self.uvs),
            tuple(colors.take(at, axis=0) for colors in self.colors),
            each(self.joints),
            each(self.weights),
            self.materials,
        )


@dataclass
class Tally:
    """What one comparison found over all parts."""

    compared: int = 0
    wrong: int = 0
    worst: float = 0.0
    where: str = ""

    def add(self, name: str, apart: AnyArray, allowed: float) -> None:
        """Count the rows that lie further apart than allowed; `apart` (c,) is 0 or more."""
        self.compared += len(apart)
        # Not a number is never within.
        wrong = ~(apart <= allowed)
        if wrong.any():
            self.wrong += int(wrong.sum())
            found = float(np.nan_to_num(apart[wrong], nan=np.inf).max())
            if found >= self.worst:
                self.worst, self.where = found, name


Measure = Callable[[AnyArray, AnyArray], AnyArray]
# What is compared: name, unit of the difference.
_UNITS = {
    "positions": "m",
    "normals": "°",
    "texture coordinates": "",
    "vertex colours": "",
    "weights": "",
    "joints": "",
}


def compare_surfaces(written: Sequence[Surface], read: Sequence[Surface], t: Tolerances) -> list[Check]:
    """Compare part by part, corner by corner; parts are met in the order of the file."""
    names_w, names_r = [s.name for s in written], [s.name for s in read]
    checks = [compare_names("parts", names_w, names_r)]
    corners_w, corners_r = ([s.count for s in side] for side in (written, read))
    same = corners_w == corners_r
    where = next((a.name for a, b in zip(written, read, strict=False) if a.count != b.count), "")
    seen = f"{sum(corners_r) // 3:,}" + (f" ('{where}' differs)" if where and not same else "")
    checks.append(Check("triangles", f"{sum(corners_w) // 3:,}", seen, same))
    if not same:
        return checks
    tallies = {name: Tally() for name in _UNITS}
    materials = Tally()
    for w, r in zip(written, read, strict=True):
        _compare_one(w, r, tallies, materials, t)
    for name, tally in tallies.items():
        if tally.compared:
            checks.append(_told(name, tally, _UNITS[name]))
    if materials.compared:
        checks.append(_told("materials on the same triangles", materials, ""))
    return checks


def _compare_one(w: Surface, r: Surface, tallies: dict[str, Tally], materials: Tally, t: Tolerances) -> None:
    if not w.count:
        return
    if not _same_corners(w, r):
        w, r = w.by_corner(), r.by_corner()
    at = slice(None) if w.corners is None else w.corners

    def add(what: str, apart: AnyArray, allowed: float) -> None:
        tallies[what].add(w.name, apart[at], allowed)

    add("positions", distances(w.positions, r.positions), t.length * (diagonal(w.positions[at]) or 1e-9))
    if w.normals is not None:
        add("normals", _nowhere(w) if r.normals is None else _angles(w.normals, r.normals), t.normal_deg)
    for name, sets_w, sets_r, allowed in (
        ("texture coordinates", w.uvs, r.uvs, t.uv),
        ("vertex colours", w.colors, r.colors, t.color),
    ):
        for number, values in enumerate(sets_w):
            there = number < len(sets_r)
            width = min(values.shape[1], sets_r[number].shape[1]) if there else 0
            apart = (
                _largest(values[:, :width] - sets_r[number][:, :width]) / np.maximum(1, _largest(values))
                if there
                else _nowhere(w)
            )
            add(name, apart, allowed)
    if w.joints is not None and w.weights is not None:
        for name, apart, allowed in _influences_apart(w, r, t):
            add(name, apart, allowed)
    differs = np.asarray(w.materials != r.materials, np.float64)
    materials.add(w.name, differs, 0.0)


def _same_corners(w: Surface, r: Surface) -> bool:
    """Whether the same vertices make the same corners, so that vertices can be compared in their stead."""
    if w.corners is None or r.corners is None:
        return False
    return len(w.positions) == len(r.positions) and np.array_equal(w.corners, r.corners)


def _nowhere(w: Surface) -> AnyArray:
    return np.full(len(w.positions), np.inf)


def _influences_apart(w: Surface, r: Surface, t: Tolerances) -> list[tuple[str, AnyArray, float]]:
    assert w.joints is not None
    assert w.weights is not None
    if r.joints is None or r.weights is None or r.joints.shape != w.joints.shape:
        return [("joints", _nowhere(w), 0.0), ("weights", _nowhere(w), t.weight)]
    # A joint counts where it pulls, on either side.
    pulls = (w.weights > t.weight) | (r.weights > t.weight)
    others = _largest(((w.joints != r.joints) & pulls).astype(np.float32))
    return [("joints", others, 0.0), ("weights", _largest(w.weights - r.weights), t.weight)]


def _largest(rows: AnyArray) -> AnyArray:
    """The size of the largest of each row, (n,). Column by column: along rows it takes ten times as long."""
    found = np.zeros(len(rows), rows.dtype)
    for column in rows.T:
        np.maximum(found, np.abs(column), out=found)
    return found


def distances(a: AnyArray, b: AnyArray) -> AnyArray:
    """The (n,) distances between (n, 3) points."""
    return lengths(a.astype(np.float64) - b)


def diagonal(points: AnyArray) -> float:
    """How far the box around (n, 3) points reaches; 0 around none."""
    if not len(points):
        return 0.0
    low, high = bounds(points)
    return float(np.linalg.norm(high.astype(np.float64) - low))


def _angles(a: AnyArray, b: AnyArray) -> AnyArray:
    """The (n,) angles in degrees between (n, 3) directions, exact for small ones.

    A direction of no length is 180 away.
    """
    first, second = a.astype(np.float64), b.astype(np.float64)
    length = lengths(first) * lengths(second)
    across = lengths(np.cross(first, second))
    angle = np.degrees(np.arctan2(across, np.einsum("ij,ij->i", first, second)))
    return np.where(length > 1e-12, angle, 180.0)


def _told(name: str, tally: Tally, unit: str) -> Check:
    total = f"{tally.compared:,} corners"
    if not tally.wrong:
        return Check(name, total, "all alike", passed=True)
    far = "missing" if not np.isfinite(tally.worst) else f"up to {tally.worst:.3g}{' ' if unit == 'm' else ''}{unit}"
    what = "are others" if name in {"joints", "materials on the same triangles"} else f"differ, {far}"
    return Check(name, total, f"{tally.wrong:,} {what}, most in '{tally.where}'", passed=False)


def compare_names(what: str, written: Sequence[str], read: Sequence[str]) -> Check:
    """Names in order; the first that differs is shown."""
    if list(written) == list(read):
        return Check(what, f"{len(written):,}", "the same names in the same order", passed=True)
    pairs = zip(written, read, strict=False)
    first = next((f"'{a}' was read as '{b}'" for a, b in pairs if a != b), f"{len(read):,} of {len(written):,}")
    return Check(what, f"{len(written):,}", first, passed=False)
