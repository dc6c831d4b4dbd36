"""Reading FBX: text as binary, files from other hands, and bytes that are wrong."""

from __future__ import annotations

import struct
import zlib
from dataclasses import replace
from functools import cache
from typing import Any

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st
from scipy.spatial.transform import Rotation

from pruxel.core.base.context import Context
from pruxel.core.base.errors import ErrorCode, InputError, UsageError
from pruxel.core.base.limits import Limits
from pruxel.core.formats.fbx.binary import read_binary
from pruxel.core.formats.fbx.elements import MAGIC, Element, written
from pruxel.core.formats.fbx.read import read
from pruxel.core.formats.fbx.write_clips import straight_keys
from pruxel.core.formats.ready import make_ready
from pruxel.core.formats.registry import FORMATS, format_for
from pruxel.core.geometry.euler import angles_between_deg, euler_curve, euler_deg, slerps, turns_of_euler
from pruxel.core.geometry.skinning import value_at
from pruxel.core.images import png
from pruxel.core.scene.digest import digest
from pruxel.core.scene.measure import measure
from pruxel.core.scene.model import ClipChannel, Mesh, Node, Primitive, Scene
from pruxel.core.scene.pose import posed, standing
from pruxel.core.scene.render_images import texels
from pruxel.core.scene.walk import in_order, world_from_local
from tests.scenes import animated, everything, two_boxes

CONTEXT = Context()
FBX = FORMATS.get("fbx")


def opened(data: bytes, name: str = "thing.fbx", context: Context = CONTEXT) -> Scene:
    return read(memoryview(data), name, lambda _: None, context).scene


def binary(scene: Scene, **options: Any) -> bytes:
    assert FBX.write is not None
    fit = make_ready(scene, CONTEXT).scene
    return b"".join(bytes(p) for p in FBX.write(fit, "thing", FBX.chosen(options), CONTEXT)[0].pieces)


def as_text(one: Element, depth: int = 0) -> str:
    """A node as text files have it, by plain code."""

    def said(value: Any) -> str:
        if isinstance(value, bool):
            return "Y" if value else "N"
        if isinstance(value, str):
            name, mark, kind = value.partition("\x00\x01")
            return f'"{kind}::{name}"' if mark else '"' + value.replace('"', "&quot;") + '"'
        return repr(float(value)) if isinstance(value, float) else str(value)

    pad = "\t" * depth
    arrays = [p for p in one.properties if isinstance(p, np.ndarray)]
    if arrays:
        numbers = ",".join(repr(v) for v in arrays[0].tolist())
        return f"{pad}{one.name}: *{arrays[0].size} {{\n{pad}\ta: {numbers}\n{pad}}}\n"
    line = f"{pad}{one.name}: " + ", ".join(said(p) for p in one.properties if not isinstance(p, bytes))
    if not one.children:
        return line + "\n"
    return line + " {\n" + "".join(as_text(child, depth + 1) for child in one.children) + pad + "}\n"


@pytest.mark.parametrize("scene", [two_boxes(), animated(), everything()], ids=["boxes", "animated", "everything"])
@pytest.mark.parametrize("up", ["y", "z"])
def test_text_says_what_binary_says(scene: Scene, up: str) -> None:
    data = binary(scene, up=up)
    top, _ = read_binary(memoryview(data), "thing.fbx", Limits())
    text = "; FBX 7.4.0 project file\n" + "".join(as_text(one) for one in top)
    assert format_for("unnamed", text.encode()) is FBX
    one, other = opened(data), opened(text.encode())
    assert digest(replace(one, images=(), textures=())) == digest(replace(other, images=(), textures=()))


@given(seed=st.integers(0, 10_000))
@settings(deadline=None, max_examples=60)
def test_euler_angles_are_scipys(seed: int) -> None:
    rng = np.random.default_rng(seed)
    turns = Rotation.random(20, rng=rng).as_quat()
    np.testing.assert_allclose(angles_between_deg(turns_of_euler(euler_deg(turns)), turns), 0, atol=1e-5)
    angles = rng.uniform(-400, 400, (20, 3))
    theirs = Rotation.from_euler("xyz", angles, degrees=True).as_quat()
    np.testing.assert_allclose(angles_between_deg(turns_of_euler(angles), theirs), 0, atol=1e-5)
    upright = Rotation.from_euler("xyz", [[rng.uniform(-180, 180), 90, 0]], degrees=True).as_quat()
    np.testing.assert_allclose(angles_between_deg(turns_of_euler(euler_deg(upright)), upright), 0, atol=1e-4)


@given(seed=st.integers(0, 10_000))
@settings(deadline=None, max_examples=40)
def test_curves_of_angles_follow_the_arcs_and_never_flip(seed: int) -> None:
    rng = np.random.default_rng(seed)
    turns, times = Rotation.random(6, rng=rng).as_quat(), np.arange(6.0)
    at, angles, error = euler_curve(times, turns, 0.5)
    assert np.abs(np.diff(angles, axis=0)).max() < 180
    moments = rng.uniform(0, 5, 200)
    line = np.stack([np.interp(moments, at, angles[:, k]) for k in range(3)], axis=1)
    first = np.minimum(moments.astype(int), 4)
    arcs = slerps(turns[first], turns[first + 1], moments - first)
    assert angles_between_deg(turns_of_euler(line), arcs).max() <= max(error, 0.5) * 2.5


@pytest.mark.parametrize(("path", "width"), [("translation", 3), ("rotation", 4), ("scale", 3)])
def test_splines_become_lines_that_stay_on_them(path: Any, width: int) -> None:
    rng = np.random.default_rng(width)
    times, values = np.array([0.0, 0.4, 1.5], np.float32), rng.normal(size=(9, width))
    if path == "rotation":
        values[1::3] /= np.linalg.norm(values[1::3], axis=1, keepdims=True)
    spline = ClipChannel(0, path, times, values.astype(np.float32), interpolation="CUBICSPLINE")
    at, found, _ = straight_keys(spline)
    assert at[0] == 0
    assert at[-1] == pytest.approx(1.5)
    for moment in rng.uniform(0, 1.5, 100).tolist():
        line = np.array([np.interp(moment, at, found[:, k]) for k in range(width)])
        there = value_at(times, values.astype(np.float32), moment, "CUBICSPLINE", turn=path == "rotation")
        np.testing.assert_allclose(line, there, atol=(2e-3 if path == "rotation" else 5e-4) * float(np.ptp(found)))


def test_a_skinned_character_comes_back_as_it_was() -> None:
    before = make_ready(everything(), CONTEXT).scene
    after = opened(binary(everything()))
    assert {n.name for n in after.nodes} >= {"top", "prop", "hip", "knee", "body"}
    [skin] = after.skins
    assert [after.nodes[j].name for j in skin.joints] == ["hip", "knee"]
    np.testing.assert_allclose(skin.inverse_bind, before.skins[0].inverse_bind, atol=1e-6)
    assert [c.name for c in after.clips] == ["wave", "breathe"]
    [body] = [mesh for _, node, mesh in standing(after) if node.name == "body"]
    assert len(body.primitives) == 2
    mesh = next(m for m in after.meshes if m.target_weights)
    assert [t.name for t in mesh.primitives[0].targets] == ["swell"]
    assert mesh.target_weights == pytest.approx((0.25,))
    assert measure(after).triangles == measure(before).triangles
    assert len(mesh.primitives[0].uvs) == 2
    paint = next(m for m in after.materials if m.name == "paint")
    assert (paint.metallic, paint.roughness) == pytest.approx((0.25, 0.5))


@pytest.mark.parametrize(
    ("rows", "comes", "told"),
    [
        ({"BlendMode": 1}, True, False),
        ({"BlendMode": 2, "Weight": 100.0}, True, False),
        ({"BlendMode": 0}, False, True),
        ({}, False, True),
        ({"BlendMode": 1, "Weight": 40.0}, False, True),
        ({"BlendMode": 1, "Mute": 1}, False, False),
    ],
)
def test_layers_that_count_alone_are_taken_over(rows: dict[str, float], comes: bool, told: bool) -> None:
    """All curves moved from a clip's first layer, which stays empty, into a second one that says how it counts."""
    top, _ = read_binary(memoryview(binary(animated())), "thing.fbx", Limits())
    objects, joins = (next(one for one in top if one.name == name) for name in ("Objects", "Connections"))
    stack, first = (next(o for o in objects.children if o.name == f"Animation{kind}") for kind in ("Stack", "Layer"))
    number = 77_000_001
    layer = objects.add("AnimationLayer", number, "over\x00\x01AnimLayer", "")
    table = layer.add("Properties70")
    for name, value in rows.items():
        table.add("P", name, "", "", "", value)
    for join in joins.children:
        if join.properties[2] == first.properties[0]:
            join.properties = [*join.properties[:2], number, *join.properties[3:]]
    joins.add("C", "OO", number, stack.properties[0])
    text = "; FBX 7.4.0 project file\n" + "".join(as_text(one) for one in top)
    scene, whole = opened(text.encode()), opened(binary(animated()))
    name = str(stack.properties[1]).split("\x00", maxsplit=1)[0]
    assert (name in {clip.name for clip in scene.clips}) == comes
    assert any("add to those below" in note for note in scene.notes) == told
    if comes:
        one, other = (next(c for c in s.clips if c.name == name) for s in (scene, whole))
        assert [(c.path, c.values.tolist()) for c in one.channels] == [
            (c.path, c.values.tolist()) for c in other.channels
        ]


def test_parts_on_one_skeleton_share_a_skin_again() -> None:
    """The format has one for each mesh; joints held otherwise stay apart."""
    whole = make_ready(everything(), CONTEXT).scene
    node = next(node for node in whole.nodes if node.skin is not None)
    [held] = whole.skins
    other = replace(held, inverse_bind=np.concatenate([held.inverse_bind[:1], np.eye(4)[None]]))
    twins = [replace(node, name=name, children=(), skin=skin) for name, skin in (("glove", 0), ("boot", 1))]
    count = len(whole.nodes)
    scene = replace(
        whole, nodes=(*whole.nodes, *twins), roots=(*whole.roots, count, count + 1), skins=(held, other), clips=()
    )
    after = opened(binary(scene))
    worn = {one.name: one.skin for one in after.nodes if one.skin is not None}
    assert len(after.skins) == 2
    assert worn[node.name] == worn["glove"] != worn["boot"]
    np.testing.assert_allclose(after.skins[worn["boot"] or 0].inverse_bind, other.inverse_bind, atol=1e-6)


def test_polygons_stay_polygons() -> None:
    scene = two_boxes()
    [first] = scene.meshes[0].primitives
    corners = np.array([[0, 1, 2], [0, 2, 3]], np.uint32)
    square = replace(first, indices=corners, face_sizes=np.array([4], np.uint32))
    scene = replace(scene, meshes=(replace(scene.meshes[0], primitives=(square,)), scene.meshes[1]))
    after = opened(binary(scene))
    sizes = [p.face_sizes for mesh in after.meshes for p in mesh.primitives if p.face_sizes is not None]
    assert [s.tolist() for s in sizes] == [[4]]


def head(version: int = 7400) -> bytes:
    return MAGIC + struct.pack("<I", version)


def node(name: str, properties: bytes = b"", count: int = 0, at: int = 27) -> bytes:
    end = at + 13 + len(name) + len(properties)
    return struct.pack("<IIIB", end, count, len(properties), len(name)) + name.encode() + properties


@pytest.mark.parametrize(
    ("data", "message"),
    [
        (MAGIC, "ends within its head"),
        (b"Kaydara FBX Binary  \x20\x1a\x20" + bytes(90), "head of the file is damaged"),
        (head() + b"\x50\0\0\0", "reaches beyond"),
        (head() + struct.pack("<IIIB", 10_000, 0, 0, 3) + b"abc", "does not fit into"),
        (head() + node("Abc", b"", 9), "more properties than bytes"),
        (head() + node("Abc", b"Zabcd", 1), "a property cannot be read"),
        (head() + node("Abc", b"S" + struct.pack("<I", 99) + b"x", 1), "a property cannot be read"),
        (head() + node("Abc", b"d" + struct.pack("<III", 5, 0, 8) + bytes(8), 1), "an array does not fit"),
        (head() + node("Abc", b"d" + struct.pack("<III", 1 << 30, 1, 8) + bytes(8), 1), "claim more than one file"),
        (head() + node("Abc", b"d" + struct.pack("<III", 1 << 20, 1, 8) + bytes(8), 1), "an array does not fit"),
        (head() + node("Abc", b"i" + struct.pack("<III", 4, 1, 16) + b"not zlib at all!", 1), "is damaged"),
        (
            head() + node("Abc", b"i" + struct.pack("<III", 9, 1, len(zlib.compress(bytes(16)))) + zlib.compress(bytes(16)), 1),
            "unpacks to another size",
        ),
        (head(5800) + bytes(13), "version of FBX cannot be read"),
        (b"FBXHeaderExtension: {\n FBXVersion: 5800\n}\n", "version of FBX cannot be read"),
    ],
)  # fmt: skip
def test_wrong_bytes_are_told_with_their_place(data: bytes, message: str) -> None:
    with pytest.raises(InputError, match=message) as caught:
        opened(data)
    assert caught.value.fault.file == "thing.fbx"


def test_nodes_deep_in_each_other_are_refused() -> None:
    text = "FBXHeaderExtension: {\n FBXVersion: 7400\n}\n" + "A: {\n" * 10_000
    with pytest.raises(InputError) as caught:
        opened(text.encode())
    assert caught.value.fault.code is ErrorCode.BUDGET
    inside = b""
    for _ in range(200):
        inside = struct.pack("<IIIB", 0xFFFFFF, 0, 0, 1) + b"A" + inside
    with pytest.raises(InputError):
        opened(head() + inside)


ODD = """FBXHeaderExtension: {{
    FBXVersion: 7500
}}
Objects: {{
    Geometry: 10, "Geometry::g", "Mesh" {{
        Vertices: *{count} {{ a: {vertices} }}
        PolygonVertexIndex: *{corners_count} {{ a: {corners} }}
    }}
    Model: 20, "Model::one", "Mesh" {{
        Properties70: {{
            P: "Lcl Translation", "Lcl Translation", "", "A",{moved}
        }}
    }}
    Model: 21, "Model::one", "Null" {{
    }}
}}
Connections: {{
    C: "OO",10,20
    C: "OO",20,{over}
    C: "OO",21,{above}
}}
"""


def odd(
    vertices: str = "0,0,0,1,0,0,1,1,0,0,1,0",
    corners: str = "0,1,2,-4",
    moved: str = "1,2,3",
    over: int = 21,
    above: int = 0,
) -> Scene:
    text = ODD.format(
        count=vertices.count(",") + 1, vertices=vertices, corners_count=corners.count(",") + 1, corners=corners,
        moved=moved, over=over, above=above,
    )  # fmt: skip
    found = read(memoryview(text.encode()), "odd.fbx", lambda _: None, CONTEXT)
    return replace(found.scene, notes=(*found.scene.notes, *(fault.line() for fault in found.faults)))


def with_objects(said: str, links: str) -> str:
    """A square of those that say little, and further objects with what is joined to what."""
    text = ODD.format(
        count=12,
        vertices="0,0,0,1,0,0,1,1,0,0,1,0",
        corners_count=4,
        corners="0,1,2,-4",
        moved="1,2,3",
        over=21,
        above=0,
    )
    return text.replace("    Model: 20", said + "    Model: 20").replace("Connections: {\n", "Connections: {\n" + links)


def test_files_that_say_little_are_read() -> None:
    scene = odd()
    assert [n.name for n in scene.nodes] == ["one", "one.2"]
    assert measure(scene).triangles == 2
    assert measure(scene).minimum == pytest.approx((0.01, 0.02, 0.03))
    assert any("unit of length" in note for note in scene.notes)


@pytest.mark.parametrize("corners", ["0,-2", "-1", "0,1,-9", "0,1,2,-4,0,1,99,-1", "0,1,2"])
def test_polygons_of_few_or_wrong_corners_are_told(corners: str) -> None:
    scene = odd(corners=corners)
    kept = 2 if corners.startswith("0,1,2,-4") else 0
    assert measure(scene).triangles == kept
    assert corners == "0,1,2" or any("polygons of" in note for note in scene.notes)


def test_numbers_that_are_none_are_left_out() -> None:
    scene = odd(vertices="0,0,0,1,0,0,1,nan,0,0,1,0", moved="1e999,0,0")
    assert measure(scene).triangles == 0
    assert scene.nodes[0].translation == (0.0, 0.0, 0.0)


def test_embedded_text_that_is_none_is_a_missing_picture() -> None:
    said = 'Video: 30, "Video::v", "Clip" {\n Filename: "a.png"\n Content: , "nöt base 64"\n }\n'
    said += 'Texture: 31, "Texture::t", "" {\n FileName: "a.png"\n }\nMaterial: 32, "Material::m", "" {\n }\n'
    links = ' C: "OO",30,31\n C: "OP",31,32, "DiffuseColor"\n C: "OO",32,20\n'
    text = with_objects(said, links)
    [material] = opened(text.encode()).materials
    assert [(one.slot, one.name) for one in material.unresolved] == [("base_color", "a.png")]


MAPS = {
    "Maker|main|basecolor_map": ("c.png", (200, 100, 50)),
    "Maker|main|glossiness_map": ("g.png", (200, 0, 0)),
    "Maker|main|metalness_map": ("m.png", (60, 0, 0)),
    "Maker|main|ao_map": ("o.png", (90, 90, 90)),
    "Maker|main|emission_map": ("e.png", (1, 2, 3)),
}


@pytest.mark.parametrize("there", [True, False])
def test_maps_of_physically_based_materials_stand_for_their_numbers(there: bool) -> None:
    rows = {"Maker|main|basecolor": (0, 1, 1), "Maker|main|Glossiness": (0.25,), "Maker|main|metalness": (0.1,)}
    said = 'Material: 32, "Material::m", "" {\n Properties70: {\n'
    said += "".join(f'  P: "{name}", "", "", "", {",".join(map(str, values))}\n' for name, values in rows.items())
    said += " }\n}\n"
    links = ' C: "OO",32,20\n'
    for number, (name, (file, _)) in enumerate(MAPS.items(), 40):
        said += f'Texture: {number}, "Texture::t", "" {{\n FileName: "{file}"\n }}\n'
        links += f' C: "OP",{number},32, "{name}"\n'
    text = with_objects(said, links)
    colors = dict(MAPS.values())

    def find(name: str) -> bytes | None:
        return png.encode(np.full((2, 2, 3), colors[name], np.uint8)) if there and name in colors else None

    result = read(memoryview(text.encode()), "odd.fbx", find, CONTEXT)
    assert not any("not taken over" in note for note in result.scene.notes)
    [material] = result.scene.materials
    if not there:
        assert {one.slot for one in material.unresolved} == {
            "base_color", "glossiness", "metallic", "occlusion", "emissive",
        }  # fmt: skip
        assert material.base_color == (1, 1, 1, 1), "a map that is found later is not tinted"
        assert (material.roughness, material.metallic, material.emissive) == (0.75, 0.1, (0, 0, 0))
        return
    assert (material.base_color, material.roughness, material.metallic) == ((1, 1, 1, 1), 1, 1)
    assert material.emissive == (1, 1, 1)

    def texel(slot: str) -> list[int]:
        ref = getattr(material, f"{slot}_texture")
        return texels(result.scene.images[result.scene.textures[ref.texture].image])[0, 0].tolist()

    assert texel("base_color")[:3] == [200, 100, 50]
    assert texel("metallic_roughness")[1:3] == [55, 60]
    assert texel("occlusion")[0] == 90
    assert texel("emissive")[:3] == [1, 2, 3]


def test_numbers_of_many_digits_are_themselves() -> None:
    long = "0." + "3" * 60 + "e-1"
    scene = odd(vertices=f"0,0,0,1,0,0,1,{long},0,0,1,0")
    assert measure(scene).triangles == 2
    assert float(np.sort(scene.meshes[0].primitives[0].positions[:, 1])[2]) == pytest.approx(0.01 / 30)


def test_rings_are_cut() -> None:
    assert measure(odd(over=21, above=20)).triangles == 2


def test_wrong_options_are_told_all_at_once() -> None:
    with pytest.raises(UsageError) as caught:
        FBX.chosen({"up": "x", "unit": "inch", "deep": 1})
    for word in ("up", "unit", "deep"):
        assert word in (caught.value.fault.field or "")


@pytest.mark.parametrize("count", [1, 16, 1 << 18, (1 << 18) + 1, 1_000_003])
def test_what_cores_pack_by_parts_is_one_stream_to_others(count: int) -> None:
    """Python's own zlib reads it, with its check sum, and nothing is left over."""
    values = np.random.default_rng(count).normal(size=count).astype(np.float32).astype(np.float64)
    data = b"".join(bytes(p) for p in written([Element("Numbers", (values, values))], 7400, deflate=True))
    place = data.index(b"Numbers") + len(b"Numbers")
    for _ in range(2):
        code, many, packed, size = struct.unpack_from("<cIII", data, place)
        block = data[place + 13 : place + 13 + size]
        assert (code, many, packed) == (b"d", count, int(values.nbytes >= 128))
        stream = zlib.decompressobj()
        plain = stream.decompress(block) if packed else block
        assert plain == values.tobytes()
        assert not stream.unused_data
        assert stream.eof == bool(packed)
        place += 13 + size
    top, _ = read_binary(memoryview(data), "numbers.fbx", Limits())
    assert all(np.array_equal(one, values) for one in top[0].properties)


def test_large_arrays_say_what_they_said_however_they_are_packed() -> None:
    """They are unpacked on all cores, and a damaged one is refused where it stands."""
    rng = np.random.default_rng(3)
    places = rng.normal(size=(30_000, 3)).astype(np.float32)
    cloth = Primitive(places, rng.integers(0, len(places), (50_000, 3)).astype(np.uint32))
    scene = Scene("cloth", nodes=(Node("cloth", mesh=0),), roots=(0,), meshes=(Mesh("cloth", (cloth,)),))
    plain, packed = binary(scene, deflate=False), bytearray(binary(scene, deflate=True))
    assert digest(opened(plain)) == digest(opened(bytes(packed)))
    begin = packed.index(b"Vertices") + len(b"Vertices") + 13
    packed[begin + 200_000 : begin + 200_064] = bytes(64)
    with pytest.raises(InputError) as caught:
        opened(bytes(packed))
    assert caught.value.fault.offset == begin


@cache
def _whole(*, deflate: bool) -> bytes:
    return bytes(binary(everything(), deflate=deflate))


@given(seed=st.integers(0, 1_000_000))
@settings(deadline=None, max_examples=150)
def test_changed_bytes_are_used_or_refused(seed: int) -> None:
    rng = np.random.default_rng(seed)
    data = bytearray(_whole(deflate=bool(seed % 2)))
    if seed % 3 == 0:
        top, _ = read_binary(memoryview(bytes(data)), "thing.fbx", Limits())
        data = bytearray(("; FBX 7.4.0 project file\n" + "".join(as_text(one) for one in top)).encode())
    for _ in range(int(rng.integers(1, 12))):
        place = int(rng.integers(23 if seed % 3 else 0, len(data)))
        data[place] = int(rng.integers(0, 256))
    if seed % 5 == 0:
        del data[int(rng.integers(27, len(data))) :]
    try:
        scene = opened(bytes(data), context=replace(CONTEXT, limits=Limits(entry_bytes=1 << 24)))
    except InputError as error:
        assert error.fault.file == "thing.fbx"
    else:
        measure(scene)


@pytest.mark.parametrize("up", ["y", "z"])
@pytest.mark.parametrize("unit", ["cm", "m"])
def test_cameras_and_lights_look_where_they_looked(up: str, unit: str) -> None:
    """On nodes of their own, on nodes that hold more, on nodes that move; what they say of themselves too."""
    scene = everything()
    moved = replace(scene.nodes[2], light=0)  # the hip, which a clip turns
    both = replace(scene.nodes[5], light=0)
    scene = replace(scene, nodes=(*scene.nodes[:2], moved, *scene.nodes[3:5], both, *scene.nodes[6:]))
    found = opened(binary(scene, up=up, unit=unit))

    def looks(one: Scene, key: str, seconds: float) -> list[list[float]]:
        shown = one if seconds < 0 else posed(one, one.clips[0], seconds)
        world = world_from_local(shown)
        rows = [world[k] for k in in_order(shown) if getattr(shown.nodes[k], key) is not None]
        return sorted(
            [*(w[:3, 2] / np.linalg.norm(w[:3, 2])).round(5).tolist(), *w[:3, 3].round(4).tolist()] for w in rows
        )

    for key in ("camera", "light"):
        for seconds in (-1.0, 0.0, 0.4, 0.9):
            np.testing.assert_allclose(looks(found, key, seconds), looks(scene, key, seconds), atol=3e-3)
    [eye] = found.cameras
    assert (eye.yfov_rad, eye.near) == (pytest.approx(0.8), pytest.approx(0.1))
    for lamp in found.lights:
        assert (lamp.kind, lamp.intensity, lamp.range) == ("spot", pytest.approx(40.0), pytest.approx(12.0))
        assert lamp.color == pytest.approx((1.0, 0.9, 0.8))
        assert lamp.outer_cone_rad == pytest.approx(np.pi / 4)
    alone = next(n for n in found.nodes if n.name == "lamp")
    assert alone.light is not None, "a node that holds nothing else keeps its light"
