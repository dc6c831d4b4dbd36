"""Many small parts of a file decoded together are what each is when it is decoded by itself."""

from __future__ import annotations

import struct
from typing import Any

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from pruxel.core.base.context import Context
from pruxel.core.base.errors import InputError
from pruxel.core.binary.conventions import Conventions
from pruxel.core.binary.load import load_layout
from pruxel.core.extract import elements, pool
from pruxel.core.extract.conventions import turning
from pruxel.core.extract.file import ParsedFile, parse_file, rows
from pruxel.core.extract.meshes import LooseModel, MeshesSpec, read_model
from pruxel.core.scene.digest import digest

PARTS = """
layout: parts
endian: ENDIAN
conventions: {axes: [x, z, y], unit_m: 0.01, winding: clockwise, uv_origin: bottom_left}
records:
  file:
    - {name: count, type: u16}
    - {name: parts, type: part, count: count}
  part:
    - {name: flags, type: u8, bits: {lit: [0, 1], wide: [1, 1], colored: [2, 1], loose: [3, 1]}}
    - {name: vertex_count, type: u16}
    - {name: corner_count, type: u16}
    - {name: base, type: i8}
    - {name: step, type: u8}
    - {name: points, type: bytes, size: vertex_count * step}
    - {name: extra, type: bytes, size: vertex_count * 4 if flags.colored else 0}
    - {name: corners, type: bytes, size: corner_count * (4 if flags.wide else 1)}
yields:
  meshes:
    each: parts
    name: "'part'"
    material: "'lit' if flags.lit else 'plain'"
    vertices:
      count: vertex_count
      data: points
      stride: step
      elements:
        position: {type: f32x3}
        normal: {type: snorm8x4, when: flags.lit}
        uv0: {type: unorm16x2, offset: step - 4}
        color: {type: unorm8x4, data: extra, stride: 4, when: flags.colored}
    triangles: {data: corners, type: "'u32' if flags.wide else 'u8'", base: base}
"""
PART = st.fixed_dictionaries(
    {
        "flags": st.integers(0, 7),
        "vertices": st.integers(0, 9),
        "faces": st.integers(0, 6),
        "base": st.sampled_from([0, 0, 0, 1, -1]),
        "seed": st.integers(0, 99),
        # Most parts are whole: no corner too large, no number that is none.
        "harm": st.sampled_from(["", "", "", "", "", "corner", "number", "third"]),
    }
)


def written(parts: list[dict[str, Any]], order: str) -> bytes:
    """The bytes of parts, by the layout's own words."""
    out = struct.pack(f"{order}H", len(parts))
    for part in parts:
        flags, count, random = part["flags"], part["vertices"], np.random.default_rng(part["seed"])
        corners = random.integers(0, max(count, 1), part["faces"] * 3 + (part["harm"] == "third")) - part["base"]
        if part["harm"] == "corner" and len(corners):
            corners[-1] = count + 1
        points = random.normal(size=(count, 3))
        if part["harm"] == "number" and count:
            points[0, 1] = np.nan
        rows = [
            struct.pack(f"{order}3f", *place)
            + (random.integers(0, 256, 4, np.uint8).tobytes() if flags & 1 else b"")
            + struct.pack(f"{order}2H", *random.integers(0, 65_536, 2))
            for place in points
        ]
        kind = f"{order}u4" if flags & 2 else "u1"
        out += struct.pack(f"{order}BHHbB", flags, count, len(corners), part["base"], 20 if flags & 1 else 16)
        out += b"".join(rows) + random.integers(0, 256, count * 4 if flags & 4 else 0, np.uint8).tobytes()
        out += np.clip(corners, 0, 255).astype(kind).tobytes()
    return out


def parsed(data: bytes, order: str = "<", layout: str = PARTS) -> ParsedFile:
    known = load_layout(layout.replace("ENDIAN", "big" if order == ">" else "little"), "parts.yaml")
    return parse_file(memoryview(data), known, "file.dat", Conventions(), Context())


def read(file: ParsedFile) -> LooseModel | InputError:
    try:
        return read_model(file, Context())
    except InputError as error:
        return error


def pooled_of(file: ParsedFile) -> set[int]:
    """The numbers of the parts that are decoded together."""
    spec = file.spec("meshes", MeshesSpec)
    parts = list(rows(spec.each, spec.where, file.head, file.entry))
    how = turning(file.conventions)
    return set(pool.pool_small(parts, spec.vertices, spec.triangles, file, how, Context()))


@settings(max_examples=120, deadline=None)
@given(st.lists(PART, min_size=8, max_size=20), st.sampled_from("<>"))
def test_parts_decoded_together_are_what_each_is_alone(parts: list[dict[str, Any]], order: str) -> None:
    file = parsed(written(parts, order), order)
    together = read(file)
    with pytest.MonkeyPatch.context() as patch:
        patch.setattr(pool, "_FEWEST", 10_000)
        alone = read(file)
    if isinstance(alone, InputError) or isinstance(together, InputError):
        assert isinstance(alone, InputError)
        assert isinstance(together, InputError)
        assert together.fault == alone.fault
        return
    assert digest(together.scene) == digest(alone.scene)
    assert together.faults == alone.faults
    assert together.materials == alone.materials
    for mesh in together.scene.meshes:
        [one] = mesh.primitives
        assert not any(a.flags.writeable for a in (one.positions, one.indices, one.normals, *one.uvs))
        assert one.positions.flags.c_contiguous


def test_what_is_decoded_together_and_what_is_not() -> None:
    whole = {"flags": 0, "vertices": 6, "faces": 3, "base": 0, "seed": 1, "harm": ""}
    parts = [whole | {"flags": number % 8} for number in range(16)]
    assert pooled_of(parsed(written(parts, "<"))) == set(range(16))
    few = parts[:7]
    assert pooled_of(parsed(written(few, "<"))) == set()
    # A part that is wrong takes those of its kind with it, and no others: who reads them singly finds which it is.
    parts[3] = parts[3] | {"harm": "corner"}
    parts[5] = parts[5] | {"harm": "third"}
    assert pooled_of(parsed(written(parts, "<"))) == set(range(16)) - {3, 11, 5}
    found = read(parsed(written(parts, "<")))
    assert isinstance(found, LooseModel)
    assert [fault.message for fault in found.faults] == [
        "index 8 is out of range",
        "the corners make no triangles: 10 corners are no whole triangles",
    ]
    for plain in ("scale: 2", "index: corners", "per: corner"):
        other = PARTS.replace("{type: f32x3}", f"{{type: f32x3, {plain}}}")
        assert pooled_of(parsed(written(parts, "<"), layout=other)) == set(), plain
    assert pooled_of(parsed(written(parts, "<"), layout=PARTS.replace("base: base", "shape: strip"))) == set()


def test_a_stride_of_nothing_is_told_for_each_part() -> None:
    whole = {"flags": 0, "vertices": 6, "faces": 3, "base": 0, "seed": 1, "harm": ""}
    file = parsed(written([whole] * 9, "<"), layout=PARTS.replace("    stride: step", "    stride: step - 16"))
    assert pooled_of(file) == set()
    found = read(file)
    assert isinstance(found, InputError)
    assert "stride" in found.fault.message or "outside" in found.fault.message


SHARED = """
layout: shared
records:
  file:
    - {name: points, type: bytes, size: 1200}
    - {name: starts, type: u8, count: 20}
yields:
  meshes:
    each: starts
    vertices: {data: points, elements: {position: {type: f32x3}}}
    triangles: {corners: "range(3) + item"}
"""


def test_a_pool_that_parts_share_is_decoded_once(monkeypatch: pytest.MonkeyPatch) -> None:
    decoded = []
    plain = elements.elements_of
    monkeypatch.setattr(elements, "elements_of", lambda *given: (decoded.append(given), plain(*given))[1])
    points = np.arange(300, dtype="<f4").reshape(100, 3)
    found = read(parsed(points.tobytes() + bytes(range(0, 80, 4)), layout=SHARED))
    assert isinstance(found, LooseModel)
    assert len(decoded) == 1
    for number, mesh in enumerate(found.scene.meshes):
        assert mesh.primitives[0].positions.tolist() == points[4 * number : 4 * number + 3].tolist()
