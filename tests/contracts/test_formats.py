"""Every registered format: what it carries survives a round trip; hostile bytes end in input errors."""

import io
import json
import struct
from dataclasses import replace
from pathlib import Path

import numpy as np
import pytest
import trimesh
from hypothesis import HealthCheck, given, settings
from hypothesis import strategies as st

from pruxel.core.base.context import Context
from pruxel.core.base.errors import ErrorCode, InputError
from pruxel.core.deliver.deliver import deliver
from pruxel.core.deliver.package import write_files
from pruxel.core.formats.ready import make_ready
from pruxel.core.formats.registry import FORMATS, Format, OutFile, lost
from pruxel.core.geometry.measure import signed_volume
from pruxel.core.scene.checks import problems
from pruxel.core.scene.measure import measure
from pruxel.core.scene.model import Scene
from pruxel.core.scene.pose import standing
from pruxel.core.scene.render_images import texels
from tests.glb import files_of_glb
from tests.scenes import animated, box, two_boxes
from tests.strategies import soups

CONTEXT = Context()
BOTH_WAYS = [f for f in FORMATS if f.read is not None and f.write is not None]
EACH = pytest.mark.parametrize("spec", BOTH_WAYS, ids=lambda f: f.name)


def joined(file: OutFile) -> bytes:
    return b"".join(bytes(p) for p in file.pieces)


def again(scene: Scene, spec: Format) -> Scene:
    assert spec.write is not None
    assert spec.read is not None
    files = spec.write(make_ready(scene, CONTEXT).scene, "thing", spec.options(), CONTEXT)
    beside = {f.path: joined(f) for f in files}
    result = spec.read(memoryview(beside[files[0].path]), files[0].path, beside.get, CONTEXT)
    assert result.faults == ()
    assert problems(result.scene) == []
    return result.scene


def volume(scene: Scene) -> float:
    return sum(signed_volume(p.positions, p.indices) for _, _, mesh in standing(scene) for p in mesh.primitives)


def joined_parts(scene: Scene) -> dict[str, np.ndarray]:
    """UVs and normals of all corners, part by part, primitive by primitive."""
    found = [p for _, _, mesh in standing(scene) for p in mesh.primitives]
    return {
        "uvs": np.concatenate([p.uvs[0][p.indices] for p in found if p.uvs] or [np.zeros((0, 3, 2))]),
        "normals": np.concatenate([p.normals[p.indices] for p in found]),
    }


@EACH
def test_geometry_materials_and_textures_come_back(spec: Format) -> None:
    scene = two_boxes()
    back = again(scene, spec)
    was, found = measure(scene), measure(back)
    assert found.triangles == was.triangles
    np.testing.assert_allclose((*found.minimum, *found.maximum), (*was.minimum, *was.maximum), atol=1e-5)
    assert volume(back) == pytest.approx(volume(scene), rel=1e-4)
    one, other = (joined_parts(side) for side in (back, scene))
    if "mapping" in spec.carries:
        np.testing.assert_allclose(one["uvs"], other["uvs"], atol=1e-5)
        np.testing.assert_allclose(one["normals"], other["normals"], atol=1e-4)
    if "materials" not in spec.carries:
        assert "materials" in " ".join(lost(scene, spec))
        return
    [material] = back.materials
    assert material.base_color == pytest.approx(scene.materials[0].base_color, abs=0.005)
    if "textures" not in spec.carries:
        return
    assert (material.metallic, material.roughness) == pytest.approx((0.25, 0.5))
    assert material.base_color_texture is not None
    picture = texels(back.images[back.textures[material.base_color_texture.texture].image])
    np.testing.assert_array_equal(picture, texels(scene.images[0]))


@EACH
@settings(deadline=None, max_examples=40, suppress_health_check=[HealthCheck.too_slow])
@given(scene=soups())
def test_any_soup_survives(spec: Format, scene: Scene) -> None:
    [was] = scene.meshes[0].primitives
    kept = was.indices
    if spec.name == "3mf":  # triangles of fewer than three places are no triangles there
        a, b, c = was.positions[kept].transpose(1, 0, 2)
        kept = kept[(a != b).any(axis=1) & (b != c).any(axis=1) & (a != c).any(axis=1)]
        if not len(kept):
            return
    back = again(scene, spec)
    [found] = back.meshes[0].primitives
    size = float(np.abs(was.positions).max())
    np.testing.assert_allclose(found.positions[found.indices], was.positions[kept], atol=1e-6 * size, rtol=1e-6)
    if "mapping" in spec.carries:
        np.testing.assert_allclose(found.uvs[0][found.indices], was.uvs[0][kept], atol=2e-6)


@EACH
def test_what_is_lost_is_told_before_writing(spec: Format) -> None:
    words = " ".join(lost(animated(), spec))
    assert ("skeletons" in words) == ("skins" not in spec.carries)
    assert ("clips" in words) == ("clips" not in spec.carries)


@EACH
def test_what_maps_and_materials_say_is_carried_or_told(spec: Format) -> None:
    """What a material has of these alone comes back, or is told; within what is lost as a whole it is not told too."""
    plain = two_boxes()
    [material] = plain.materials
    worn = material.base_color_texture
    cases = {
        "occlusion": ("occlusion maps", replace(material, occlusion_texture=worn)),
        "cutouts": ("cuts out", replace(material, alpha_mode="MASK", base_color=(1.0, 1.0, 1.0, 0.5))),
        "unlit": ("not lit", replace(material, unlit=True)),
    }
    for key, (words, other) in cases.items():
        scene = replace(plain, materials=(other,))
        told = words in " ".join(lost(scene, spec))
        assert words not in " ".join(lost(plain, spec))
        if key in spec.carries:
            [back] = again(scene, spec).materials
            assert (back.occlusion_texture is None, back.alpha_mode, back.unlit) == (
                other.occlusion_texture is None, other.alpha_mode, other.unlit,
            )  # fmt: skip
            assert not told
        else:
            assert told == ({"occlusion": "textures", "cutouts": "textures", "unlit": "materials"}[key] in spec.carries)


@pytest.mark.parametrize("name", ["glb", "gltf"])
def test_gltf_keeps_skins_clips_and_targets(name: str) -> None:
    scene = animated()
    back = again(scene, FORMATS.get(name))
    assert [n.name for n in back.nodes] == [n.name for n in scene.nodes]
    assert back.skins[0].joints == (2, 3)
    channel = back.clips[0].channels[0]
    np.testing.assert_array_equal(channel.values, scene.clips[0].channels[0].values)
    primitive = back.meshes[0].primitives[0]
    assert primitive.targets[0].name == "swell"
    np.testing.assert_array_equal(primitive.weights, scene.meshes[0].primitives[0].weights)


@pytest.mark.parametrize("scene", [two_boxes(), animated()], ids=["boxes", "animated"])
def test_official_validator_finds_nothing(scene: Scene, tmp_path: Path) -> None:
    report = deliver([scene], "thing", ["glb", "gltf"], tmp_path, CONTEXT)
    checks = [c for f in report.formats for p in f.proofs if p.reader == "glTF validator" for c in p.checks]
    assert len(checks) == 4
    assert [c for c in checks if not c.passed] == []


def test_another_reader_agrees_on_the_glb(tmp_path: Path) -> None:
    scene = two_boxes()
    write_files(tmp_path, files_of_glb(scene), CONTEXT)
    loaded = trimesh.load_scene(tmp_path / "thing.glb")
    facts = measure(scene)
    np.testing.assert_allclose(loaded.bounds.ravel(), (*facts.minimum, *facts.maximum), atol=1e-5)


OBJ_LINES = """o first
v 0 0 0
v 1 0 0
v oops 0 0
v 1 1 0
v 0 1 0
vt 0 0
f 1 2 4
f 1 2 99
f 1 x 4
f 1 4
this is no statement
f -4 -2 -1
g other
f 1/1 2/1 4/1 5/1
"""


def test_obj_with_broken_lines_keeps_the_rest() -> None:
    read = FORMATS.get("obj").read
    assert read is not None
    found = read(memoryview(OBJ_LINES.encode()), "bad.obj", lambda _: None, CONTEXT)
    [mesh] = found.scene.meshes
    assert sum(len(p.indices) for p in mesh.primitives) == 4
    words = [f.line() for f in found.faults]
    assert any("line 4 " in w and "oops" in w for w in words)
    assert any("line 10 " in w for w in words)
    assert any("1 face corners name vertices that do not exist" in w and "99" in w for w in words)
    assert any("positions are not numbers" in w for w in words)


def test_obj_without_faces_is_refused() -> None:
    read = FORMATS.get("obj").read
    assert read is not None
    with pytest.raises(InputError, match="no usable face, line or point"):
        read(memoryview(b"v 1 2 3\nhello\n"), "none.obj", lambda _: None, CONTEXT)


def test_concave_polygons_keep_their_shape() -> None:
    text = b"v 0 0 0\nv 4 0 0\nv 4 4 0\nv 2 1 0\nv 0 4 0\nf 1 2 3 4 5\n"
    read = FORMATS.get("obj").read
    assert read is not None
    facts = measure(read(memoryview(text), "c.obj", lambda _: None, CONTEXT).scene)
    assert facts.triangles == 3
    assert facts.area == pytest.approx(10.0)


@EACH
@settings(deadline=None, max_examples=60)
@given(data=st.data())
def test_damaged_files_end_in_input_errors(spec: Format, data: st.DataObject) -> None:
    assert spec.write is not None
    assert spec.read is not None
    files = spec.write(two_boxes(), "thing", spec.options(), CONTEXT)
    beside = {f.path: joined(f) for f in files}
    main = bytearray(beside[files[0].path])
    for _ in range(data.draw(st.integers(1, 8))):
        main[data.draw(st.integers(0, len(main) - 1))] = data.draw(st.integers(0, 255))
    cut = data.draw(st.integers(0, len(main)))
    for broken in (bytes(main), bytes(main[:cut])):
        try:
            spec.read(memoryview(broken), files[0].path, beside.get, CONTEXT)
        except InputError as error:
            assert error.fault.file


def changed_glb(change: dict[str, object]) -> bytes:
    scene = replace(two_boxes(), nodes=two_boxes().nodes[1:2], meshes=two_boxes().meshes[:1])
    data = joined(files_of_glb(scene)[0])
    size = struct.unpack_from("<I", data, 12)[0]
    document = json.loads(data[20 : 20 + size])
    for path, value in change.items():
        *steps, last = path.split(".")
        place = document
        for step in steps:
            place = place[int(step)] if step.isdigit() else place[step]
        place[last] = value
    text = json.dumps(document).encode()
    text += b" " * (-len(text) % 4)
    body = data[20 + size :]
    return struct.pack("<4sIIII", b"glTF", 2, 20 + len(text) + len(body), len(text), 0x4E4F534A) + text + body


@pytest.mark.parametrize(
    ("change", "code"),
    [
        ({"accessors.0.count": 10**7}, ErrorCode.TRUNCATED),
        ({"bufferViews.0.byteLength": 10**9}, ErrorCode.TRUNCATED),
        ({"meshes.0.primitives.0.indices": 77}, ErrorCode.MALFORMED),
        ({"accessors.0.componentType": 1}, ErrorCode.MALFORMED),
        ({"extensionsRequired": ["KHR_of_tomorrow"]}, ErrorCode.UNKNOWN_FORMAT),
        ({"buffers.0.uri": "elsewhere.bin"}, ErrorCode.REFERENCE),
    ],
)
def test_gltf_errors_name_their_place(change: dict[str, object], code: ErrorCode) -> None:
    read = FORMATS.get("glb").read
    assert read is not None
    data = changed_glb(change)
    try:
        faults = read(memoryview(data), "b.glb", lambda _: None, CONTEXT).faults
    except InputError as error:
        faults = (error.fault,)
    assert faults
    assert faults[0].code is code
    assert faults[0].file == "b.glb"


def test_nan_positions_are_told() -> None:
    primitive = box()
    positions = primitive.positions.copy()
    positions[5, 1] = np.nan
    text = io.BytesIO()
    np.save(text, positions)
    from pruxel.core.base.arrays import as_floats
    from pruxel.core.scene.model import Mesh, Node, Primitive

    broken = Primitive(as_floats(positions, 3), primitive.indices, normals=primitive.normals)
    read = FORMATS.get("glb").read
    assert read is not None
    data = joined(
        files_of_glb(Scene("n", nodes=(Node("n", mesh=0),), roots=(0,), meshes=(Mesh("n", (broken,)),)), "n")[0]
    )
    data = data.replace(b"null", b"0.0 ")
    with pytest.raises(InputError, match="not a number") as caught:
        read(memoryview(data), "n.glb", lambda _: None, CONTEXT)
    assert "vertex 5" in (caught.value.fault.field or "")
