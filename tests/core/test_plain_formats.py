"""STL, PLY, OFF and 3MF: files put together by plain code, wrong ones, and proofs that refuse what is damaged."""

from __future__ import annotations

import io
import struct
import zipfile
from collections.abc import Callable
from pathlib import Path
from typing import Any

import numpy as np
import pytest
import trimesh
from hypothesis import given, settings
from hypothesis import strategies as st

from pruxel.core.base.context import Context
from pruxel.core.base.errors import ErrorCode, InputError
from pruxel.core.deliver.package import write_files
from pruxel.core.formats.ready import make_ready
from pruxel.core.formats.registry import FORMATS, ReadResult, format_for
from pruxel.core.knowledge.kinds import Kind, classify
from pruxel.core.scene.measure import measure
from pruxel.core.scene.model import Scene
from tests.core.test_proof import failed
from tests.scenes import everything

CONTEXT = Context()
CORNERS = [(0.0, 0.0, 0.0), (2.0, 0.0, 0.0), (2.0, 1.0, 0.0), (0.0, 1.0, 3.0)]


def opened(data: bytes | str, name: str) -> ReadResult:
    raw = data.encode() if isinstance(data, str) else data
    spec = format_for(name, raw[:512])
    assert spec is not None
    assert spec.read is not None
    return spec.read(memoryview(raw), name, lambda _: None, CONTEXT)


def refused(data: bytes | str, name: str) -> InputError:
    with pytest.raises(InputError) as caught:
        opened(data, name)
    assert caught.value.fault.file == name
    return caught.value


def facet(a: int, b: int, c: int) -> str:
    lines = "".join(f"vertex {x} {y} {z}\n" for x, y, z in (CORNERS[a], CORNERS[b], CORNERS[c]))
    return f"facet normal 0 0 1\nouter loop\n{lines}endloop\nendfacet\n"


def binary_stl(*faces: tuple[int, int, int], head: bytes = b"solid of a kind", count: int | None = None) -> bytes:
    rows = b"".join(struct.pack("<12fH", 0, 0, 1, *(v for n in face for v in CORNERS[n]), 0) for face in faces)
    return head.ljust(80, b"\0") + struct.pack("<I", len(faces) if count is None else count) + rows


def test_text_and_binary_stl_say_the_same() -> None:
    text = opened(f"solid wing\n{facet(0, 1, 2)}{facet(0, 2, 3)}endsolid wing\n", "wing.stl").scene
    plain = opened(binary_stl((0, 1, 2), (0, 2, 3)), "wing.stl").scene
    for scene in (text, plain):
        [primitive] = scene.meshes[0].primitives
        assert len(primitive.positions) == 4
        assert measure(scene).maximum == pytest.approx((0.002, 0.003, 0.0), abs=1e-9)  # millimetres, Z up
        assert any("unit taken as millimetres" in note for note in scene.notes)
    np.testing.assert_array_equal(text.meshes[0].primitives[0].indices, plain.meshes[0].primitives[0].indices)
    two = opened(f"solid left\n{facet(0, 1, 2)}endsolid\nsolid right\n{facet(0, 2, 3)}endsolid\n", "two.stl").scene
    assert [node.name for node in two.nodes] == ["left", "right"]


def test_stl_that_is_cut_off_or_empty() -> None:
    found = opened(binary_stl((0, 1, 2), (0, 2, 3), count=1_000_000), "cut.stl")
    assert measure(found.scene).triangles == 2
    assert found.faults[0].code is ErrorCode.TRUNCATED
    assert refused(b"short", "a.stl").fault.code is ErrorCode.TRUNCATED
    assert "no triangle" in str(refused(binary_stl(), "a.stl"))
    assert "not three numbers" in str(refused(f"solid x\n{facet(0, 1, 2)}".replace("2.0", "two"), "a.stl"))
    beyond = bytearray(binary_stl((0, 1, 2), (0, 2, 3)))
    beyond[84 + 12 : 84 + 16] = struct.pack("<f", float("nan"))
    found = opened(bytes(beyond), "nan.stl")
    assert measure(found.scene).triangles == 1
    assert "no numbers" in found.faults[0].message


TYPES = {"float": "f", "double": "d"}
LENGTHS = {"uchar": "B", "ushort": "H", "int": "i"}


@given(data=st.data())
@settings(deadline=None, max_examples=60)
def test_ply_of_every_make_is_read(data: st.DataObject) -> None:
    """Text and both orders, types of numbers and of lengths, faces of three and more corners, strangers between."""
    order = data.draw(st.sampled_from(["ascii", "binary_little_endian", "binary_big_endian"]))
    number, length = data.draw(st.sampled_from(sorted(TYPES))), data.draw(st.sampled_from(sorted(LENGTHS)))
    corner = data.draw(st.sampled_from(["int", "uint", "short"]))
    count = data.draw(st.integers(3, 12))
    points = [tuple(float(v) for v in data.draw(st.tuples(*[st.integers(-50, 50)] * 3))) for _ in range(count)]
    faces = data.draw(st.lists(st.permutations(range(count)).map(lambda p: p), min_size=1, max_size=5))
    faces = [face[: data.draw(st.sampled_from([3, 3, 4]))] for face in faces]
    strange = data.draw(st.booleans())
    head = ["ply", f"format {order} 1.0", "comment by hand", f"element vertex {count}"]
    head += ["property short weight"] * strange + [f"property {number} {axis}" for axis in "xyz"]
    head += ["property uchar red", "property uchar green", "property uchar blue"]
    head += [f"element face {len(faces)}", f"property list {length} {corner} vertex_indices", "end_header\n"]
    mark = {"ascii": "", "binary_little_endian": "<", "binary_big_endian": ">"}[order]
    codes = {"int": "i", "uint": "I", "short": "h"}
    body = b""
    for n, point in enumerate(points):
        values: list[Any] = [*([n] if strange else []), *point, n, 2 * n, 255]
        kinds = ("h" if strange else "") + TYPES[number] * 3 + "BBB"
        body += (" ".join(map(str, values)) + "\n").encode() if not mark else struct.pack(mark + kinds, *values)
    for face in faces:
        values = [len(face), *face]
        kinds = LENGTHS[length] + codes[corner] * len(face)
        body += (" ".join(map(str, values)) + "\n").encode() if not mark else struct.pack(mark + kinds, *values)
    scene = opened("\n".join(head).encode() + body, "made.ply").scene
    [primitive] = scene.meshes[0].primitives
    np.testing.assert_array_equal(primitive.positions, np.array(points, np.float32))
    assert len(primitive.indices) == sum(len(face) - 2 for face in faces)
    sizes = [3] * len(faces) if primitive.face_sizes is None else primitive.face_sizes.tolist()
    assert sizes == [len(face) for face in faces]
    assert primitive.colors[0][0].tolist() == [0.0, 0.0, 1.0, 1.0]
    assert any("weight" in note for note in scene.notes) == strange


PLY = "ply\nformat ascii 1.0\nelement vertex 3\nproperty float x\nproperty float y\nproperty float z\n"


@pytest.mark.parametrize(
    ("text", "message"),
    [
        ("ply\nformat ascii 1.0\n", "head of the file has no end"),
        ("ply\nformat morse 1.0\nend_header\n", "makes no sense"),
        ("ply\nelement vertex 3\nproperty quad x\nend_header\n", "makes no sense"),
        ("ply\nformat ascii 1.0\nelement vertex -4\nend_header\n", "fewer than no rows"),
        ("ply\nformat ascii 1.0\nelement face 4000000000\nproperty int a\nend_header\n", "more rows than"),
        (PLY + "end_header\n0 0 0 1 1\n", "ends within element 'vertex'"),
        (PLY + "end_header\n0 0 0 1 1 x 2 2 2\n", "makes no sense"),
        (PLY + "element face 1\nproperty list uchar int vertex_indices\nend_header\n0 0 0 1 0 0 1 1 0\n9 1 2\n", "'face'"),
        (PLY + "element face 1\nproperty list float int vertex_indices\nend_header\n", "makes no sense"),
        (PLY.replace("float y", "float w") + "end_header\n0 0 0 1 0 0 1 1 0\n", "no surface"),
        ("ply\nformat binary_little_endian 1.0\nelement face 9\nproperty list uchar int vertex_indices\nend_header\n\3", "'face'"),
    ],
)  # fmt: skip
def test_wrong_ply_is_told(text: str, message: str) -> None:
    assert message in str(refused(text, "a.ply"))


def test_ply_without_faces_is_points_and_faces_of_nothing_are_told() -> None:
    points = opened(PLY + "end_header\n0 0 0\n1 0 0\n1 1 0\n", "a.ply").scene
    assert [len(s.indices) for s in points.meshes[0].strokes] == [3]
    body = "element face 4\nproperty list uchar int vertex_index\nend_header\n0 0 0\n1 0 0\n1 1 0\n3 0 1 2\n2 0 1\n3 0 1 7\n0\n"
    found = opened(PLY + body, "a.ply")
    assert measure(found.scene).triangles == 1
    assert "3 faces have too few corners" in found.faults[0].message


def test_off_is_read_with_its_comments_and_normals() -> None:
    text = "# a wing\nNOFF # with normals\n4 2 0\n0 0 0 0 0 1\n2 0 0 0 0 1\n2 1 0 0 0 1\n0 1 0 0 0 1\n\n3 0 1 2 255 0 0\n4 0 1 2 3\n"
    scene = opened(text, "wing").scene
    [primitive] = scene.meshes[0].primitives
    assert primitive.face_sizes is not None
    assert primitive.face_sizes.tolist() == [3, 4]
    np.testing.assert_array_equal(primitive.normals, np.tile([0, 0, 1], (4, 1)))
    for wrong in ("OFF\n9 9 9\n0 0 0\n", "OFF\n1 1 0\n0 0 zero\n3 0 0 0\n", "4OFF\n1 0 0\n0 0 0 0\n", "OFF\nx y\n"):
        refused(wrong, "a.off")
    assert "too few corners" in opened("OFF\n3 2 0\n0 0 0\n1 0 0\n1 1 0\n3 0 1 2\n3 0 1 9\n", "a.off").faults[0].message


MESH = (
    "<mesh><vertices>" + "".join(f'<vertex x="{x}" y="{y}" z="{z}"/>' for x, y, z in CORNERS) + "</vertices>"
    '<triangles><triangle v1="0" v2="1" v3="2"/><triangle v1="0" v2="2" v3="3"/></triangles></mesh>'
)


def package(model: str, name: str = "3D/3dmodel.model") -> bytes:
    out = io.BytesIO()
    with zipfile.ZipFile(out, "w", zipfile.ZIP_DEFLATED) as archive:
        archive.writestr("[Content_Types].xml", "<Types/>")
        archive.writestr(name, model)
    return out.getvalue()


def model_of(resources: str, items: str, unit: str = "inch") -> str:
    space = 'xmlns="http://schemas.microsoft.com/3dmanufacturing/core/2015/02"'
    return f'<model unit="{unit}" {space}><resources>{resources}</resources><build>{items}</build></model>'


def test_3mf_of_components_in_place() -> None:
    resources = (
        '<basematerials id="9"><base name="red" displaycolor="#FF0000"/></basematerials>'
        f'<object id="1" name="wing" pid="9" pindex="0">{MESH}</object>'
        '<object id="2" name="pair"><components><component objectid="1"/>'
        '<component objectid="1" transform="1 0 0 0 1 0 0 0 1 10 0 0"/></components></object>'
    )
    data = package(model_of(resources, '<item objectid="2" transform="2 0 0 0 2 0 0 0 2 0 0 5"/>'))
    found = opened(data, "pair.3mf")
    assert found.faults == ()
    facts = measure(found.scene)
    assert facts.triangles == 4
    assert len(found.scene.meshes) == 1
    np.testing.assert_allclose(facts.maximum, np.array([24, 11, 0]) * 0.0254, atol=1e-6)
    assert found.scene.materials[0].base_color == pytest.approx((1, 0, 0, 1))
    assert classify(data[:512], len(data), "pair.3mf", ()) is Kind.MODEL


@pytest.mark.parametrize(
    ("data", "message"),
    [
        (b"PK\x03\x04 nothing", "cannot be opened"),
        (package("<model/>", "other.txt"), "has no model"),
        (package("<model><resources>"), "XML cannot be read"),
        (package(model_of("", "")), "no mesh"),
        (package('<!DOCTYPE a [<!ENTITY b "cc"><!ENTITY d "&b;&b;">]><model>&d;</model>'), "entities"),
        (package("<a>" * 5000), "levels"),
        (package(" " * 40_000_000), "implausibly much"),
        (package(model_of('<object id="1"><components><component objectid="1"/></components></object>', '<item objectid="1"/>')), "no mesh"),
        (package(model_of(f'<object id="1">{MESH}</object>'.replace('v1="0"', 'v1="99"'), "")), "no mesh"),
    ],
    ids=lambda v: v if isinstance(v, str) else "",
)  # fmt: skip
def test_wrong_3mf_is_told(data: bytes, message: str) -> None:
    assert message in str(refused(data, "a.3mf"))


@pytest.fixture(scope="module")
def ready() -> Scene:
    return make_ready(everything(), CONTEXT).scene


def written(ready: Scene, name: str, folder: Path) -> Path:
    spec = FORMATS.get(name)
    assert spec.write is not None
    write_files(folder, spec.write(ready, "thing", spec.options(), CONTEXT), CONTEXT)
    return folder / f"thing.{name}"


@pytest.mark.parametrize("name", ["stl", "ply"])
def test_another_reader_agrees(name: str, ready: Scene, tmp_path: Path) -> None:
    loaded = trimesh.load_mesh(written(ready, name, tmp_path), process=False)
    facts = measure(ready)
    assert len(loaded.faces) == facts.triangles
    assert loaded.extents.max() == pytest.approx(
        max(np.subtract(facts.maximum, facts.minimum)) * (1000 if name == "stl" else 1), rel=1e-4
    )


def changed(place: int, value: bytes) -> Callable[[bytes], bytes]:
    return lambda data: data[:place] + value + data[place + len(value) :]


def swap_corners(data: bytes) -> bytes:
    return data[:96] + data[108:120] + data[96:108] + data[120:]


def behind(data: bytes, value: bytes, offset: int) -> bytes:
    """Change the first vertex's values at an offset behind the head."""
    at = data.index(b"end_header\n") + 11 + offset
    return data[:at] + value + data[at + len(value) :]


def in_model(change: Callable[[str], str]) -> Callable[[bytes], bytes]:
    def damage(data: bytes) -> bytes:
        out = io.BytesIO()
        with zipfile.ZipFile(io.BytesIO(data)) as old, zipfile.ZipFile(out, "w", zipfile.ZIP_DEFLATED) as new:
            for name in old.namelist():
                text = old.read(name).decode()
                new.writestr(name, change(text) if name.endswith(".model") else text)
        return out.getvalue()

    return damage


SIDE = "which side of triangles shows"


def doubled(text: str) -> str:
    first = text.index("<triangle ")
    second = text.index("<triangle ", first + 1)
    third = text.index("<triangle ", second + 1)
    return text[:second] + text[first:second] + text[third:]


def recolored(text: str) -> str:
    at = text.index('displaycolor="#') + len('displaycolor="#')
    return text[:at] + "010203" + text[at + 6 :]


def turned(text: str) -> str:
    at = text.index("<triangle ")
    end = text.index("/>", at)
    line = text[at:end]
    return text[:at] + line.replace("v1=", "v9=").replace("v2=", "v1=").replace("v9=", "v2=") + text[end:]


DAMAGES: dict[str, tuple[str, Callable[[bytes], bytes], set[str]]] = {
    "stl: a corner moved": ("stl", changed(96, struct.pack("<f", 9e3)), {"positions"}),
    "stl: a hole": ("stl", lambda d: changed(80, struct.pack("<I", (len(d) - 84) // 50 - 1))(d[:-50]), {"triangles"}),
    "stl: a triangle turned": ("stl", swap_corners, {SIDE}),
    "stl: a normal turned": ("stl", changed(84, struct.pack("<3f", 0.6, 0.0, 0.8)), {"normals"}),
    "ply: a place moved": ("ply", lambda d: behind(d, struct.pack("<f", 9.0), 0), {"positions"}),
    "ply: a normal turned": ("ply", lambda d: behind(d, struct.pack("<3f", 0.6, 0.0, 0.8), 12), {"normals"}),
    "ply: a UV moved": ("ply", lambda d: behind(d, struct.pack("<f", 0.77), 24), {"texture coordinates"}),
    "ply: a colour changed": ("ply", lambda d: behind(d, b"\x01\x02\x03", 32), {"vertex colours"}),
    "ply: a face turned": ("ply", lambda d: d[:-8] + d[-4:] + d[-8:-4], {SIDE}),
    "3mf: another unit": ("3mf", in_model(lambda t: t.replace('"millimeter"', '"inch"')), {"unit of length"}),
    "3mf: an item moved": ("3mf", in_model(lambda t: t.replace("1 0 0 0 1 0 0 0 1 0 0 0", "1 0 0 0 1 0 0 0 1 0 0 7")), {"positions"}),
    "3mf: an item renamed": ("3mf", in_model(lambda t: t.replace('partnumber="prop"', 'partnumber="other"')), {"parts"}),
    "3mf: a colour changed": ("3mf", in_model(recolored), {"vertex colours"}),
    "3mf: a hole": ("3mf", in_model(lambda t: t.replace(t[t.index("<triangle ") : t.index("/>", t.index("<triangle ")) + 2], "", 1)), {"triangles"}),
    "3mf: a triangle twice in place of another": ("3mf", in_model(doubled), {"triangles that were written"}),
    "3mf: a triangle turned": ("3mf", in_model(turned), {SIDE}),
}  # fmt: skip


@pytest.mark.parametrize("name", ["stl", "ply", "3mf"])
def test_undamaged_solids_pass(name: str, ready: Scene, tmp_path: Path) -> None:
    assert failed(written(ready, name, tmp_path), ready, name) == set()


@pytest.mark.parametrize("what", DAMAGES)
def test_each_check_refuses_its_damage_in_solids(what: str, ready: Scene, tmp_path: Path) -> None:
    name, damage, wanted = DAMAGES[what]
    main = written(ready, name, tmp_path)
    data = main.read_bytes()
    assert damage(data) != data
    main.write_bytes(damage(data))
    found = failed(main, ready, name)
    assert wanted <= found, found
