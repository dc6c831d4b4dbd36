"""Guessing what bytes hold: on files of known content, on noise, and on anything at all."""

from __future__ import annotations

import struct
import zlib

import numpy as np
import pytest
import zstandard
from hypothesis import given, settings
from hypothesis import strategies as st

from bench.unknown import Label, Shape, cases, found_in, shape
from pruxel.core.base.context import Context
from pruxel.core.binary.conventions import Conventions
from pruxel.core.binary.load import load_layout
from pruxel.core.extract.file import parse_file
from pruxel.core.extract.meshes import read_model
from pruxel.core.guessing.corners import find_corners, triangles_in
from pruxel.core.guessing.guess import guess
from pruxel.core.guessing.meshes import guess_meshes
from pruxel.core.guessing.pictures import guess_pictures
from pruxel.core.guessing.regions import find_packed, find_places, find_texts, find_turns, strip_of
from pruxel.core.recipe.layout_check import check_layout, what_it_yields

CONTEXT = Context()


def as_bytes(data: bytes) -> np.ndarray:
    return np.frombuffer(data, np.uint8)


def triangles_of(label: Label) -> int:
    kind, _, count, shape_ = label.corners
    del kind
    values = as_bytes(label.data)[label.corners[1] :][: count * (2 if label.corners[0] == "u16" else 4)]
    numbers = values.view(f"{label.order}u{2 if label.corners[0] == 'u16' else 4}").astype(np.int64)
    return len(triangles_in(numbers, shape_, 0xFFFF))  # type: ignore[arg-type]


# Five of the labelled set, as unlike as can be: little and big endian, lists and a strip, rows and blocks, floats and
# whole numbers, heads that say all, counts, nothing. What share of the whole set is right, `make bench` tells.
@pytest.mark.parametrize(
    "label", [one for n, one in enumerate(cases(20)) if n in (0, 2, 4, 7, 10)], ids=lambda c: c.name
)
def test_a_mesh_is_found_and_its_layout_reads_it(label: Label) -> None:
    found = guess_meshes(as_bytes(label.data), CONTEXT)
    assert found_in(label, found[:1]) == 0
    first = guess(memoryview(label.data), "models/thing.xyz", CONTEXT).found[0]
    assert first.kind == "mesh"
    assert first.confidence > 0.8
    assert all(0 <= one.first < one.end <= len(label.data) for one in first.spans)
    layout, faults = check_layout(first.layout, "guessed")
    assert layout is not None
    assert not faults
    told = what_it_yields(layout, memoryview(label.data), "thing.xyz")
    assert told == [f"mesh 'thing', {triangles_of(label):,} triangles, 1 material"]


def stating(kind: str, seed: int) -> bytes:
    """A file whose head states counts and places: vertices of positions and normals, then triangles."""
    one = shape(kind, np.random.default_rng(seed))
    rows = np.concatenate([one.positions, one.normals], axis=1).astype("<f4").tobytes()
    head = struct.pack("<4s5I", b"SHAP", 1, len(one.positions), len(one.triangles), 24, 24 + len(rows))
    return head + rows + one.triangles.astype("<u2").tobytes()


def test_numbers_that_the_head_states_are_read_from_it() -> None:
    """So that the layout of one file reads the next of its kind, whose counts and places are others."""
    one, other = stating("ball", 1), stating("ring", 2)
    layout, _ = check_layout(guess(memoryview(one), "a.xyz", CONTEXT).found[0].layout, "guessed")
    assert layout is not None
    assert not {"vertex_count", "triangle_count", "vertices_at", "corners_at"} & layout.constants.keys()
    count = struct.unpack_from("<I", other, 12)[0]
    assert what_it_yields(layout, memoryview(other), "b.xyz") == [f"mesh 'b', {count:,} triangles, 1 material"]


@pytest.mark.parametrize(
    ("codec", "packed"),
    [("zlib", zlib.compress), ("zstd", zstandard.ZstdCompressor().compress)],
)
def test_a_mesh_inside_compressed_bytes_is_found(codec: str, packed) -> None:  # type: ignore[no-untyped-def]
    label = next(cases(1))
    data = b"WRAP" + struct.pack("<I", len(label.data)) + packed(label.data)
    found = guess(memoryview(data), "x.wrap", CONTEXT).found
    mesh = next(one for one in found if one.kind == "mesh")
    assert f"codec: {codec}" in mesh.layout
    layout, faults = check_layout(mesh.layout, "guessed")
    assert layout is not None
    assert not faults
    assert what_it_yields(layout, memoryview(data), "x")[0].startswith("mesh 'x', 532 triangles")


def test_noise_is_no_mesh() -> None:
    rng = np.random.default_rng(3)
    for data in (rng.integers(0, 256, 20_000, np.uint8), rng.integers(0, 200, 8_000).astype("<u2").view(np.uint8)):
        assert all(one.confidence < 0.6 for one in guess_meshes(data, CONTEXT))


@given(st.binary(max_size=600), st.integers(0, 3))
@settings(max_examples=60, deadline=None)
def test_any_bytes_are_looked_at(data: bytes, zeros: int) -> None:
    found = guess(memoryview(data + bytes(zeros * 200)), "any", CONTEXT)
    assert found.looked_at == found.size == len(data) + zeros * 200
    assert all(0 <= one.confidence <= 1 for one in found.found)


def test_corners_are_cut_where_the_surface_ends() -> None:
    one = shape("ball", np.random.default_rng(5))
    run = one.triangles.reshape(-1).astype("<u2").tobytes()
    around = np.random.default_rng(6).integers(0, 256, 300, np.uint8).tobytes()
    best = find_corners(as_bytes(around + run + around))[0]
    assert (best.offset, best.count, best.kind) == (300, len(one.triangles) * 3, "list")
    assert best.vertices == len(one.positions)


@pytest.mark.parametrize("stray", [0, 3])
def test_vertices_that_end_with_the_file_are_read_as_what_they_are(stray: int) -> None:
    one = shape("ring", np.random.default_rng(8))
    first = bytes([7] * (stray + 1)) + one.triangles.astype(">u2").tobytes()
    found = guess_meshes(as_bytes(first + one.positions.astype(">f4").tobytes()), CONTEXT)[0]
    assert (found.streams[0].type, found.streams[0].offset, found.order) == ("f32x3", len(first), ">")


@pytest.mark.parametrize(("channels", "head"), [(4, "size"), (3, "size"), (1, "none"), (4, "none")])
def test_pictures_are_found(channels: int, head: str) -> None:
    wide, high = (96, 40) if head == "size" else (64, 64)
    y, x = np.mgrid[:high, :wide]
    texels = np.stack([128 + 100 * np.sin(x / 9 + n) * np.cos(y / 7) for n in range(channels)], axis=2)
    data = (b"PICT" + struct.pack("<HH", wide, high) if head == "size" else b"") + texels.astype("u1").tobytes()
    best = guess_pictures(as_bytes(data))[0]
    assert (best.width, best.height, best.bytes, best.offset) == (wide, high, channels, len(data) - texels.size)
    told = next(one for one in guess(memoryview(data), "x.pict", CONTEXT).found if one.kind == "picture")
    layout, faults = check_layout(told.layout, "guessed")
    assert layout is not None
    assert not faults
    assert what_it_yields(layout, memoryview(data), "x.pict") == [f"texture 'x', {wide} x {high}"]


def test_texts_tables_rotations_and_compressed_bytes_are_found() -> None:
    rng = np.random.default_rng(1)
    names = b"\0".join(b"reef/part_%02d.msh" % n for n in range(20)) + b"\0"
    sizes = rng.integers(100, 900, 30)
    offsets = (1000 + np.concatenate([[0], np.cumsum(sizes)[:-1]])).astype("<u4").tobytes()
    packed = zlib.compress(bytes(range(256)) * 8)
    turns = rng.normal(size=(12, 4))
    turns /= np.linalg.norm(turns, axis=1, keepdims=True)
    data = b"HEAD" + offsets + names + packed + turns.astype("<f4").tobytes()
    data = data.ljust(int(1000 + sizes.sum()), b"\7")
    texts = find_texts(as_bytes(data))[0]
    assert data[texts.first : texts.end] == names
    places = find_places(as_bytes(data), "<")[0]
    assert (places.first, places.end) == (4, 4 + len(offsets))
    inner = find_packed(as_bytes(data))
    assert [(one.codec, one.size, data[one.first : one.end]) for one in inner] == [("zlib", 2048, packed)]
    turned = [one for one in find_turns(as_bytes(data), "<") if "quaternions" in one.said]
    assert any(one.end - one.first >= 11 * 16 for one in turned)


@given(st.binary(min_size=1, max_size=3000), st.integers(1, 64))
def test_the_strip_is_what_its_definition_says(data: bytes, pieces: int) -> None:
    rows = strip_of(as_bytes(data), pieces)
    edges = np.linspace(0, len(data), len(rows) + 1).astype(int)
    for row, first, end in zip(rows, edges[:-1], edges[1:], strict=True):
        part = data[first:end]
        share = [part.count(byte) / len(part) for byte in set(part)]
        assert row[0] == pytest.approx(-sum(p * np.log2(p) for p in share), abs=1e-4)
        assert row[1:].tolist() == pytest.approx([min(part), max(part), part.count(0) / len(part)], abs=1e-5)


@pytest.mark.parametrize("winding", ["counter_clockwise", "clockwise"])
@pytest.mark.parametrize("usual", ["counter_clockwise", "clockwise"])
def test_a_shape_faces_outward_whatever_is_usual(winding: str, usual: str) -> None:
    """Normals tell which way the corners go round; the layout says so where the game's files do otherwise."""
    one = shape("ball", np.random.default_rng(3))
    triangles = one.triangles if (winding == "counter_clockwise") == _outward(one) else one.triangles[:, ::-1]
    outside = one.normals * np.sign((one.normals * one.positions).sum(axis=1).mean())
    rows = np.column_stack([one.positions, outside]).astype("<f4")
    data = struct.pack("<4sII", b"BALL", len(rows), triangles.size) + rows.tobytes() + triangles.astype("<u2").tobytes()
    how = Conventions(axes=("x", "z", "-y"), unit_m=0.01, winding=usual)  # type: ignore[arg-type]
    best = guess(memoryview(data), "x/ball.bll", Context(), how).found[0]
    layout = load_layout(best.layout, "guessed")
    assert (layout.conventions is None) == (winding == usual)
    read = read_model(parse_file(memoryview(data), layout, "ball.bll", how, Context()), Context()).scene
    [part] = read.meshes[0].primitives
    a, b, c = (part.positions[part.indices[:, n]].astype(float) for n in range(3))
    assert float((a * np.cross(b, c)).sum()) > 0
    assert np.ptp(part.positions, axis=0).max() == pytest.approx(np.ptp(one.positions, axis=0).max() * 0.01, rel=1e-3)


def _outward(one: Shape) -> bool:
    a, b, c = (one.positions[one.triangles[:, n]] for n in range(3))
    return float((a * np.cross(b, c)).sum()) > 0


@pytest.mark.parametrize("number", [31, 139, 843])
def test_files_that_nobody_tuned_on_are_looked_at_without_a_warning(number: int) -> None:
    """Bytes read as floats are as large as they like; none of that is told to anybody."""
    data = np.frombuffer(next(one for n, one in enumerate(cases(number + 1)) if n == number).data, np.uint8)
    for one in guess_meshes(data, Context()):
        assert 0 <= one.confidence <= 1
        assert one.corners.end <= len(data)
