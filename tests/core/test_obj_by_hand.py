"""OBJ files as programs of three decades wrote them: odd endings, orders, counts and names."""

from __future__ import annotations

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from pruxel.core.base.arrays import as_floats
from pruxel.core.base.context import Context
from pruxel.core.base.errors import InputError
from pruxel.core.formats.obj.scan import scan
from pruxel.core.formats.obj.text import decimals_for, rows_text
from pruxel.core.formats.registry import FORMATS, ReadResult
from pruxel.core.scene.checks import problems
from pruxel.core.scene.measure import measure
from pruxel.core.scene.pose import standing

CONTEXT = Context()
SQUARE = "v 0 0 0\nv 2 0 0\nv 2 2 0\nv 0 2 0\n"


def read(text: str | bytes, beside: dict[str, bytes] | None = None, name: str = "by_hand.obj") -> ReadResult:
    reader = FORMATS.get("obj").read
    assert reader is not None
    data = text.encode() if isinstance(text, str) else text
    found = reader(memoryview(data), name, (beside or {}).get, CONTEXT)
    assert problems(found.scene) == []
    return found


def area(found: ReadResult) -> float:
    return measure(found.scene).area


@pytest.mark.parametrize(
    "text",
    [
        SQUARE + "f 1 2 3 4\n",
        SQUARE + "f -4 -3 -2 -1\n",
        (SQUARE + "f 1 2 3 4\n").replace("\n", "\r\n"),
        (SQUARE + "f 1 2 3 4").replace("\n", "\r"),
        SQUARE + "f 1 2 \\\n3 4\n",
        SQUARE + "f\t1   2\t\t3 4   # a comment\n",
        "f 1 2 3 4\n" + SQUARE,
        "\ufeff" + SQUARE + "f 1 2 3 4\n",
        SQUARE.replace("2", "2.0e0").replace(" 0", " -0.000") + "fo 1 2 3 4\n",
        SQUARE.replace("\n", " 1.0\n") + "f 1// 2// 3// 4//\n",
    ],
)
def test_the_same_square_however_it_is_written(text: str) -> None:
    assert area(read(text)) == pytest.approx(4.0)


@pytest.mark.parametrize("encoding", ["utf-16", "utf-16-le", "latin-1"])
def test_other_encodings(encoding: str) -> None:
    text = "o Fußball\n" + SQUARE + "f 1 2 3 4\n"
    data = text.encode(encoding)
    found = read(b"\xff\xfe" + data if encoding == "utf-16-le" else data)
    assert area(found) == pytest.approx(4.0)
    assert "ball" in found.scene.nodes[0].name


def test_polygons_keep_their_corners_and_holes_of_no_area_go() -> None:
    found = read(SQUARE + "f 1 2 3 4\nf 1 1 2\nf 1 2\n")
    [primitive] = [p for m in found.scene.meshes for p in m.primitives]
    assert area(found) == pytest.approx(4.0)
    assert primitive.face_sizes is None or 4 in primitive.face_sizes.ravel().tolist()


def test_materials_groups_and_smoothing_make_parts() -> None:
    library = b"newmtl red\nKd 1 0 0\nnewmtl glass\nd 0.5\nKd 0 0 1\n"
    text = "mtllib m.mtl\no one\n" + SQUARE + "usemtl red\nf 1 2 3\nusemtl glass\nf 1 3 4\no two\nusemtl red\nf 4 3 2\n"
    scene = read(text, {"m.mtl": library}).scene
    assert [n.name for _, n, _ in standing(scene)] == ["one", "two"]
    assert len(scene.meshes[0].primitives) == 2
    colors = {m.name: m.base_color for m in scene.materials}
    assert colors["red"] == (1, 0, 0, 1)
    assert colors["glass"][3] == pytest.approx(0.5)


def test_materials_that_are_missing_are_told_and_kept_by_name() -> None:
    found = read("mtllib gone.mtl\n" + SQUARE + "usemtl oak\nf 1 2 3 4\n")
    assert [m.name for m in found.scene.materials] == ["oak"]
    told = " ".join([*found.scene.notes, *(f.line() for f in found.faults)])
    assert "gone.mtl" in told


def test_colours_of_vertices_come_along() -> None:
    text = "v 0 0 0 1 0 0\nv 1 0 0 0 1 0\nv 0 1 0 0 0 1\nf 1 2 3\n"
    [primitive] = [p for m in read(text).scene.meshes for p in m.primitives]
    assert primitive.colors[0].shape == (3, 4)
    assert primitive.colors[0][:, 3].tolist() == [1, 1, 1]
    assert (primitive.colors[0][:, :3].argmax(axis=1) == primitive.positions.argmax(axis=1)).sum() >= 1


def test_lines_and_points_are_no_faces() -> None:
    found = read(SQUARE + "l 1 2 3\np 1 4\nf 1 2 3\n")
    kinds = sorted(s.indices.shape for m in found.scene.meshes for s in m.strokes)
    assert kinds == [(2, 1), (2, 2)]
    assert area(found) == pytest.approx(2.0)


def test_names_with_blanks_stay_whole() -> None:
    library = b"newmtl old oak wood\nmap_Kd my pictures/oak plank.png\n"
    found = read("mtllib my library.mtl\n" + SQUARE + "usemtl old oak wood\nf 1 2 3\n", {"my library.mtl": library})
    [material] = found.scene.materials
    assert material.name == "old oak wood"
    assert any("oak plank.png" in u.name for u in material.unresolved)


def test_options_before_a_texture_are_no_part_of_its_name() -> None:
    library = b"newmtl m\nmap_Kd -s 2 2 1 -o 0.5 0 0 -clamp on planks.png\nmap_Bump -bm 0.3 bumps.png\n"
    found = read("mtllib m.mtl\n" + SQUARE + "usemtl m\nf 1 2 3\n", {"m.mtl": library})
    names = {u.name for u in found.scene.materials[0].unresolved}
    assert "planks.png" in names
    assert not any("-" in n for n in names)


def test_a_number_too_large_is_told_not_shown_as_infinity() -> None:
    found = read(SQUARE + "v 1e400 0 0\nf 1 2 3\nf 1 2 5\n")
    assert area(found) == pytest.approx(2.0)
    assert found.faults


@pytest.mark.parametrize("text", ["", "\n\n", "# nothing\n", "v 1 2 3\n", "\0" * 4000, "f 1 2 3\n"])
def test_nothing_to_read_is_refused_clearly(text: str) -> None:
    with pytest.raises(InputError) as caught:
        read(text)
    assert caught.value.fault.file == "by_hand.obj"


@given(
    corners=st.lists(st.integers(-9, 9), min_size=3, max_size=8),
    scale=st.floats(1e-6, 1e6),
    gap=st.sampled_from([" ", "\t", "  "]),
)
def test_any_face_is_read_or_told(corners: list[int], scale: float, gap: str) -> None:
    text = "".join(f"v {x * scale:.9g} {y * scale:.9g} 0\n" for x, y in ((0, 0), (1, 0), (1, 1), (0, 1)))
    text += "f 1 2 3\nf" + gap + gap.join(map(str, corners)) + "\n"
    found = read(text)
    assert measure(found.scene).area >= 0.499 * scale * scale
    for _, _, mesh in standing(found.scene):
        for p in mesh.primitives:
            assert np.isfinite(p.positions).all()


@given(power=st.integers(-6, 37), uv=st.integers(-3, 37))
def test_numbers_of_any_size_are_written_so_that_they_are_read_again(power: int, uv: int) -> None:
    corners = as_floats(np.array([[0, 0, 0], [1, 0.25, 0], [0, 1, -0.75]]) * 10.0**power, 3)
    across = as_floats(np.array([[0, 0], [1, 0], [0, 0.5]]) * 10.0**uv, 2)
    lines = b"".join(bytes(p) for p in rows_text(b"v", corners, decimals_for(float(corners.max()))))
    lines += b"".join(bytes(p) for p in rows_text(b"vt", across, 6))
    found = scan(np.frombuffer(lines + b"f 1/1 2/2 3/3\n", np.uint8))
    np.testing.assert_allclose(found.v, corners, rtol=1e-6, atol=1e-9)
    np.testing.assert_allclose(found.vt, across, rtol=1e-6, atol=1e-6)
