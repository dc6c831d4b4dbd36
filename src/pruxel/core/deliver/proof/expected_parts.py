"""What a file of parts without a tree must hold, corner by corner, in any order."""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np

from pruxel.core.deliver.proof.aligned import aligned, reordered, turned_over
from pruxel.core.deliver.proof.checks import Check, Tolerances
from pruxel.core.deliver.proof.expected_gltf import corners_of
from pruxel.core.deliver.proof.judge import ReadBack
from pruxel.core.deliver.proof.surfaces import Surface, compare_surfaces


def compare_parts(written: Sequence[Surface], read: Sequence[Surface], t: Tolerances) -> list[Check]:
    """All comparisons of parts that follow each other in the same order."""
    pairs = list(zip(written, read, strict=False))
    ways = [aligned(w, r, t) for w, r in pairs]
    lined = [
        reordered(w, way.written_of_read) if len(w.positions) == len(r.positions) else w
        for (w, r), way in zip(pairs, ways, strict=True)
    ]
    checks = compare_surfaces([*lined, *written[len(pairs) :]], read, t)
    missing = sum(way.missing for way in ways)
    total = sum(len(w.positions) // 3 for w in written)
    words = "none is missing" if not missing else f"{missing:,} are missing"
    checks.append(Check("triangles that were written", f"{total:,}", words, not missing))
    turned = sum(turned_over(w, r, way) for (w, r), way in zip(pairs, ways, strict=True))
    words = "all alike" if not turned else f"{turned:,} show their other side"
    return [*checks, Check("which side of triangles shows", f"{total:,} triangles", words, not turned)]


def surfaces_read(read: ReadBack, *, bottom_up: bool = True) -> list[Surface]:
    """What was read, a surface a part; `bottom_up` where the reader gives V from the bottom."""
    found = []
    for part in read.parts:
        geometry = read.geometries[part["geometry"]]
        corners = corners_of(geometry)
        uvs = [uv[corners] for uv in geometry.uvs]
        found.append(
            Surface(
                read.nodes[part["node"]]["name"],
                geometry.positions[corners],
                None if geometry.normals is None else geometry.normals[corners],
                tuple(np.stack([uv[:, 0], 1 - uv[:, 1]], axis=1) for uv in uvs) if bottom_up else tuple(uvs),
                tuple(color[corners] for color in geometry.colors),
                materials=np.full(len(corners), "", object),
            )
        )
    return found
