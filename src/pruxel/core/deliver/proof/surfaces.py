"""Triangles corner by corner, as they were to be written and as they were read, and what differs between them."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import dataclass, field

import numpy as np

from pruxel.core.base.arrays import AnyArray
from pruxel.core.deliver.proof.checks import Check, Tolerances


@dataclass(frozen=True, eq=False)
class Surface:
    """Triangles of one part in the order of the file: a row a corner.

    positions, normals (c, 3); uvs (c, 2) and colors (c, 4) one a set; joints (c, k) numbers of nodes and weights (c,
    k); materials (c,) names as an object array, '' for none. What is None was not written and is not looked at.
    """

    name: str
    positions: AnyArray
    normals: AnyArray | None = None
    uvs: tuple[AnyArray, ...] = ()
    colors: tuple[AnyArray, ...] = ()
    joints: AnyArray | None = None
    weights: AnyArray | None = None
    materials: AnyArray = field(default_factory=lambda: np.zeros(0, object))


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
    corners_w, corners_r = ([len(s.positions) for s in side] for side in (written, read))
    same = corners_w == corners_r
    where = next((a.name for a, b in zip(written, read, strict=False) if len(a.positions) != len(b.positions)), "")
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
    if not len(w.positions):
        return
    diagonal = float(np.linalg.norm(np.ptp(w.positions.astype(np.float64), axis=0))) or 1e-9
    tallies["positions"].add(w.name, distances(w.positions, r.positions), t.length * diagonal)
    if w.normals is not None:
        apart = np.full(len(w.positions), np.inf) if r.normals is None else _angles(w.normals, r.normals)
        tallies["normals"].add(w.name, apart, t.normal_deg)
    for name, sets_w, sets_r, allowed in (
        ("texture coordinates", w.uvs, r.uvs, t.uv),
        ("vertex colours", w.colors, r.colors, t.color),
    ):
        for number, values in enumerate(sets_w):
            there = number < len(sets_r)
            width = min(values.shape[1], sets_r[number].shape[1]) if there else 0
            apart = (
                np.abs(values[:, :width] - sets_r[number][:, :width]).max(axis=1)
                / np.maximum(1, np.abs(values).max(axis=1))
                if there
                else np.full(len(values), np.inf)
            )
            tallies[name].add(w.name, apart, allowed)
    if w.joints is not None and w.weights is not None:
        _compare_influences(w, r, tallies, t)
    differs = np.asarray(w.materials != r.materials, np.float64)
    materials.add(w.name, differs, 0.0)


def _compare_influences(w: Surface, r: Surface, tallies: dict[str, Tally], t: Tolerances) -> None:
    assert w.joints is not None
    assert w.weights is not None
    if r.joints is None or r.weights is None or r.joints.shape != w.joints.shape:
        missing = np.full(len(w.positions), np.inf)
        tallies["joints"].add(w.name, missing, 0.0)
        tallies["weights"].add(w.name, missing, t.weight)
        return
    # A joint counts where it pulls, on either side.
    pulls = (w.weights > t.weight) | (r.weights > t.weight)
    tallies["joints"].add(w.name, ((w.joints != r.joints) & pulls).sum(axis=1).astype(float), 0.0)
    tallies["weights"].add(w.name, np.abs(w.weights - r.weights).max(axis=1), t.weight)


def distances(a: AnyArray, b: AnyArray) -> AnyArray:
    """The (n,) distances between (n, 3) points."""
    return np.linalg.norm(a.astype(np.float64) - b, axis=1)


def _angles(a: AnyArray, b: AnyArray) -> AnyArray:
    """The (n,) angles in degrees between (n, 3) directions, exact for small ones.

    A direction of no length is 180 away.
    """
    first, second = a.astype(np.float64), b.astype(np.float64)
    length = np.linalg.norm(first, axis=1) * np.linalg.norm(second, axis=1)
    across = np.linalg.norm(np.cross(first, second), axis=1)
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
