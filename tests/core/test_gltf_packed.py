"""glTF with packed buffers: meshopt beside the decoder that three.js ships, Draco beside its own encoder, and damage."""

from __future__ import annotations

import base64
import json
import struct
import subprocess
from collections.abc import Callable
from pathlib import Path
from typing import Any

import DracoPy
import imagecodecs
import numpy as np
import pytest
from hypothesis import HealthCheck, given, settings
from hypothesis import strategies as st

from bench.scenes import waves
from pruxel.core.base.context import Context
from pruxel.core.base.errors import InputError
from pruxel.core.base.limits import Limits
from pruxel.core.deliver.deliver import deliver
from pruxel.core.deliver.proof import Outcome
from pruxel.core.formats.fields import Fields
from pruxel.core.formats.gltf.meshopt import unpacked
from pruxel.core.formats.gltf.options import GltfOptions
from pruxel.core.formats.gltf.packing import encode_attributes, encode_indices
from pruxel.core.formats.gltf.write import write_glb
from pruxel.core.formats.ready import make_ready
from pruxel.core.formats.registry import FORMATS, ReadResult
from pruxel.core.scene.digest import digest
from pruxel.core.scene.model import Scene
from tests.core.test_images import BASIS
from tests.glb import Glb, files_of_glb
from tests.scenes import animated, box, everything, two_boxes

ROOT = Path(__file__).resolve().parents[2]
DECODER = ROOT / "web/node_modules/three/examples/jsm/libs/meshopt_decoder.module.js"
# Cases on its input, one a line: [mode, filter, count, size, packed]; on its output the bytes, or why not.
OTHER = f"""
import {{ MeshoptDecoder as d }} from 'file://{DECODER}';
await d.ready;
const cases = JSON.parse((await import('node:fs')).readFileSync(0, 'utf8'));
console.log(JSON.stringify(cases.map(([mode, filter, count, size, packed]) => {{
  const target = new Uint8Array(count * size);
  try {{ d.decodeGltfBuffer(target, count, size, Buffer.from(packed, 'base64'), mode, filter); }}
  catch (error) {{ return null; }}
  return Buffer.from(target).toString('base64');
}})));
"""
Case = tuple[str, str, int, int, bytes]


def by_another(cases: list[Case]) -> list[bytes | None]:
    lines = [[*case[:4], base64.b64encode(case[4]).decode()] for case in cases]
    done = subprocess.run(
        ["node", "--input-type=module", "-e", OTHER],
        input=json.dumps(lines),
        capture_output=True,
        text=True,
        check=True,
    )
    return [None if found is None else base64.b64decode(found) for found in json.loads(done.stdout)]


def by_us(case: Case) -> bytes | None:
    mode, how, count, size, packed = case
    values = {"count": count, "byteStride": size, "mode": mode, "filter": how}
    try:
        return unpacked(Fields(values, "a.glb"), memoryview(packed), Limits())
    except InputError as error:
        assert error.fault.file == "a.glb"
        return None


def varint(value: int) -> bytes:
    out = bytearray()
    while value > 127:
        out.append(value & 127 | 128)
        value >>= 7
    return bytes([*out, value])


def triangles(rng: np.random.Generator, count: int, version: int) -> bytes:
    """Codes at random, with as much data behind them as they ask for."""
    codes = rng.choice([*range(256), *[0xFE, 0xFF] * 20], count)
    codes[0] = 0xFE if rng.random() < 0.5 else codes[0]
    data = bytearray()

    def number() -> None:
        data.extend(varint(int(rng.integers(0, 1 << int(rng.integers(1, 33))))))

    for code in codes.tolist():
        if code >= 0xFE:
            both = int(rng.integers(0, 256))
            data.append(both)
            for asks in (code == 0xFF, both >> 4 == 15, both & 15 == 15):
                if asks:
                    number()
        elif code < 0xF0 and code & 15 == 15:
            number()
    table = rng.integers(0, 256, 16, np.uint8).tobytes()
    return bytes([0xE0 | version, *codes.astype(np.uint8)]) + bytes(data) + table


def sequence(rng: np.random.Generator, count: int) -> bytes:
    steps = rng.integers(0, 1 << 20, count) >> rng.integers(0, 18, count)
    return b"\xd1" + b"".join(varint(int(step)) for step in steps) + bytes(4)


def test_packed_views_unpack_as_another_decoder_does() -> None:
    rng = np.random.default_rng(11)
    cases: list[Case] = []
    for k in range(120):
        count = int(rng.integers(1, 90))
        cases.append(("TRIANGLES", "NONE", 3 * count, 4, triangles(rng, count, k % 2)))
        cases.append(("INDICES", "NONE", count, 4, sequence(rng, count)))
        for size, how in ((4, "OCTAHEDRAL"), (8, "OCTAHEDRAL"), (8, "QUATERNION"), (12, "EXPONENTIAL"), (16, "NONE")):
            rows = rng.integers(0, 256, (count, size), np.uint8)
            if how == "OCTAHEDRAL":
                # Coordinates within the octahedron that the third number spans.
                wide = rng.integers(1, 127 if size == 4 else 32767, (count, 1))
                flat = np.concatenate(
                    [rng.integers(-wide, wide + 1), rng.integers(-wide, wide + 1), wide, wide], axis=1
                )
                rows = flat.astype("i1" if size == 4 else "<i2").view(np.uint8).reshape(count, size)
            if how == "QUATERNION":
                one = rng.integers(1, 8191, (count, 1)) * 4
                small = np.rint(rng.uniform(-0.57, 0.57, (count, 3)) * one)
                flat = np.concatenate([small, one + rng.integers(0, 4, (count, 1))], axis=1)
                rows = flat.astype("<i2").view(np.uint8).reshape(count, size)
            if how == "EXPONENTIAL":
                rows[:, 3::4] = rng.integers(236, 256, (count, 3))
            cases.append(("ATTRIBUTES", how, count, size, bytes(imagecodecs.meshopt_encode(rows))))
    others = by_another(cases)
    decoded = 0
    for case, other in zip(cases, others, strict=True):
        ours = by_us(case)
        if other is None or ours is None:
            assert ours == other, case[:4]
            continue
        decoded += 1
        if case[1] in {"OCTAHEDRAL", "QUATERNION"}:
            kind = "i1" if case[3] == 4 else "<i2"
            a, b = (np.frombuffer(d, kind).astype(int) for d in (ours, other))
            assert np.abs(a - b).max() <= 1, case[:4]
        else:
            assert ours == other, case[:4]
    assert decoded > 800


@given(seed=st.integers(0, 10_000), changes=st.lists(st.tuples(st.floats(0, 1), st.integers(0, 255)), max_size=4))
@settings(deadline=None, max_examples=150, suppress_health_check=[HealthCheck.too_slow])
def test_damaged_views_unpack_or_are_refused(seed: int, changes: list[tuple[float, int]]) -> None:
    rng = np.random.default_rng(seed)
    for mode, data in (("TRIANGLES", triangles(rng, 20, 1)), ("INDICES", sequence(rng, 20))):
        damaged = bytearray(data)
        for place, value in changes:
            damaged[int(place * (len(damaged) - 1))] = value
        by_us((mode, "NONE", 60 if mode == "TRIANGLES" else 20, 4, bytes(damaged)))
        by_us((mode, "NONE", 60 if mode == "TRIANGLES" else 20, 2, bytes(damaged[: len(damaged) // 2])))


def document(
    views: list[tuple[dict[str, Any], bytes]], accessors: list[dict[str, Any]], primitive: dict[str, Any]
) -> bytes:
    """A GLB of one primitive over packed views: what each says of itself, and its bytes."""
    body, listed = bytearray(), []
    for said, data in views:
        place = {"buffer": 0, "byteOffset": len(body), "byteLength": len(data)}
        view: dict[str, Any] = dict(place)
        if said:
            view = {"buffer": 1, "byteOffset": 0, "byteLength": said["count"] * said["byteStride"]}
            view["extensions"] = {"EXT_meshopt_compression": said | place}
        listed.append(view)
        body += data + bytes(-len(data) % 4)
    fallback = {"byteLength": 1 << 20, "extensions": {"EXT_meshopt_compression": {"fallback": True}}}
    text = json.dumps(
        {
            "asset": {"version": "2.0"},
            "buffers": [{"byteLength": len(body)}, fallback],
            "bufferViews": listed,
            "accessors": accessors,
            "meshes": [{"primitives": [primitive]}],
            "nodes": [{"mesh": 0}],
            "scenes": [{"nodes": [0]}],
            "extensionsRequired": ["EXT_meshopt_compression", "KHR_draco_mesh_compression"],
        }
    ).encode()
    text += b" " * (-len(text) % 4)
    head = struct.pack("<4sIIII", b"glTF", 2, 28 + len(text) + len(body), len(text), 0x4E4F534A)
    return head + text + struct.pack("<II", len(body), 0x004E4942) + bytes(body)


def opened(data: bytes) -> ReadResult:
    read = FORMATS.get("glb").read
    assert read is not None
    return read(memoryview(data), "packed.glb", lambda _: None, Context())


def refused(data: bytes) -> str:
    """The words for a file whose only part cannot be read."""
    with pytest.raises(InputError) as caught:
        opened(data)
    return caught.value.fault.line()


def test_a_model_packed_by_meshopt_comes_in() -> None:
    was = box(2.0)
    assert was.normals is not None
    quantised = np.zeros((len(was.positions), 4), np.int16)
    quantised[:, :3] = np.rint(was.positions * 32767)
    flat = was.indices.reshape(-1).astype(np.int64)
    steps = np.diff(flat, prepend=0)
    packed = b"\xd1" + b"".join(varint(int(((d << 1) ^ (d >> 63)) << 1)) for d in steps) + bytes(4)
    count = len(quantised)
    views = [
        ({"count": count, "byteStride": 8, "mode": "ATTRIBUTES"}, bytes(imagecodecs.meshopt_encode(quantised.view(np.uint8).reshape(count, 8)))),
        ({"count": len(flat), "byteStride": 4, "mode": "INDICES"}, packed),
    ]  # fmt: skip
    accessors = [
        {"bufferView": 0, "componentType": 5122, "count": count, "type": "VEC3", "normalized": True},
        {"bufferView": 1, "componentType": 5125, "count": len(flat), "type": "SCALAR"},
    ]
    data = document(views, accessors, {"attributes": {"POSITION": 0}, "indices": 1})
    result = opened(data)
    assert result.faults == ()
    [primitive] = result.scene.meshes[0].primitives
    np.testing.assert_allclose(primitive.positions[primitive.indices], was.positions[was.indices], atol=1e-4)
    assert "SOMETHING_" in refused(data.replace(b'"ATTRIBUTES"', b'"SOMETHING_"'))


def packed_box() -> tuple[bytes, dict[str, Any]]:
    was = box(2.0)
    data = DracoPy.encode(
        was.positions, was.indices, quantization_bits=14, tex_coord=was.uvs[0].astype(np.float64),
        normals=None if was.normals is None else was.normals.astype(np.float64), preserve_order=True,
    )  # fmt: skip
    kinds = {1: "NORMAL", 3: "TEXCOORD_0", 0: "POSITION"}
    mesh = DracoPy.decode(data)
    return data, {kinds[a["attribute_type"]]: a["unique_id"] for a in mesh.attributes}


def test_a_primitive_packed_by_draco_comes_in() -> None:
    was = box(2.0)
    data, numbers = packed_box()
    count = len(DracoPy.decode(data).points)
    shapes = {"POSITION": "VEC3", "NORMAL": "VEC3", "TEXCOORD_0": "VEC2"}
    accessors = [{"componentType": 5126, "count": count, "type": shapes[key]} for key in numbers]
    accessors.append({"componentType": 5125, "count": was.indices.size, "type": "SCALAR"})
    primitive = {
        "attributes": {key: place for place, key in enumerate(numbers)},
        "indices": len(accessors) - 1,
        "extensions": {"KHR_draco_mesh_compression": {"bufferView": 0, "attributes": numbers}},
    }
    result = opened(document([({}, data)], accessors, primitive))
    assert result.faults == ()
    [found] = result.scene.meshes[0].primitives
    np.testing.assert_allclose(found.positions[found.indices], was.positions[was.indices], atol=1e-3)
    np.testing.assert_allclose(found.uvs[0][found.indices], was.uvs[0][was.indices], atol=1e-5)
    for wrong in (data[: len(data) // 2], b"DRACO" + bytes(40), b"", data[:8] + b"\xff" * (len(data) - 8)):
        assert "pack" in refused(document([({}, wrong)], accessors, primitive))


@pytest.mark.parametrize("key", ["POSITION", "NOTHING"])
def test_packed_primitives_that_lack_an_attribute_are_told(key: str) -> None:
    data, numbers = packed_box()
    accessors = [{"componentType": 5126, "count": 24, "type": "VEC3"}]
    primitive = {
        "attributes": {"POSITION": 0},
        "extensions": {"KHR_draco_mesh_compression": {"bufferView": 0, "attributes": {key: numbers.get(key, 0) + 40}}},
    }
    assert "no such attribute" in refused(document([({}, data)], accessors, primitive))


@given(st.integers(0, 2**32 - 1), st.sampled_from([4, 8, 12, 16, 64, 256]), st.integers(1, 700))
@settings(max_examples=60, suppress_health_check=list(HealthCheck))
def test_packed_attributes_come_back_as_they_were(seed: int, stride: int, count: int) -> None:
    """Any bytes: still ones, steps of every size, noise; decoded by the library's own decoder."""
    rng = np.random.default_rng(seed)
    steps = rng.integers(0, rng.choice([1, 2, 4, 8, 200], stride), (count, stride)) * rng.integers(-1, 2, (count, 1))
    rows = np.cumsum(steps, axis=0).astype(np.uint8)
    packed = encode_attributes(rows)
    assert np.array_equal(imagecodecs.meshopt_decode(packed, shape=(count, stride), dtype=np.uint8), rows)


def test_packed_buffers_come_back_elsewhere() -> None:
    """By the decoder that three.js ships; rows of one byte, of the longest stride, and indices that jump."""
    rng = np.random.default_rng(5)
    cases: list[Case] = []
    wanted = []
    for stride, count in ((4, 1), (12, 16), (12, 17), (256, 40), (64, 1000), (48, 4097)):
        rows = np.cumsum(rng.integers(-3, 4, (count, stride)), axis=0).astype(np.uint8)
        rows[::7] = rng.integers(0, 256, (len(rows[::7]), stride))
        cases.append(("ATTRIBUTES", "NONE", count, stride, encode_attributes(rows)))
        wanted.append(rows.tobytes())
    for width, high in ((2, 2**16), (4, 2**30)):
        values = np.concatenate([rng.integers(0, high, 300), np.arange(300) % 17, [high - 1, 0, high - 1]])
        cases.append(("INDICES", "NONE", len(values), width, encode_indices(values)))
        wanted.append(values.astype(f"<u{width}").tobytes())
    assert by_another(cases) == wanted
    assert [by_us(case) for case in cases] == wanted


@pytest.mark.parametrize("make", [everything, animated, two_boxes])
@pytest.mark.parametrize("name", ["glb", "gltf"])
def test_what_is_written_packed_is_the_same_scene(make: Callable[[], Scene], name: str, tmp_path: Path) -> None:
    scene = make()
    sizes, digests = [], []
    for pack in (False, True):
        home = tmp_path / str(pack)
        home.mkdir()
        report = deliver([scene], "thing", [name], home, Context(), {name: {"pack": pack}})
        assert report.outcome is Outcome.PROVEN
        sizes.append(sum(file.size for file in report.formats[0].files))
        file = home / f"thing.{name}"
        result = FORMATS.get(name).read(  # type: ignore[misc]
            memoryview(file.read_bytes()), file.name, lambda link, home=home: (home / link).read_bytes(), Context()
        )
        digests.append(digest(result.scene))
    assert digests[0] == digests[1]
    if make is everything:
        document = json.loads(chunk(file)) if name == "glb" else json.loads(file.read_text())
        assert document["extensionsRequired"] == ["EXT_meshopt_compression"]
        assert document["buffers"][1]["extensions"] == {"EXT_meshopt_compression": {"fallback": True}}


def chunk(file: Path) -> bytes:
    data = file.read_bytes()
    return data[20 : 20 + struct.unpack_from("<I", data, 12)[0]]


def test_a_large_surface_packed_is_much_smaller(tmp_path: Path) -> None:
    sizes = []
    for pack in (False, True):
        [file] = write_glb(waves(120), "waves", GltfOptions(pack=pack), Context())
        sizes.append(sum(memoryview(piece).nbytes for piece in file.pieces))
    assert sizes[1] < 0.6 * sizes[0]


def test_textures_packed_as_basis_universal_are_read_and_written_as_png(tmp_path: Path) -> None:
    fit = make_ready(everything(), Context()).scene
    glb = Glb.of(b"".join(bytes(p) for p in files_of_glb(fit)[0].pieces))
    document = glb.document
    for image in document["images"]:
        image.clear()
        image["uri"] = f"data:image/ktx2;base64,{BASIS['UASTC']}"
    for texture in document["textures"]:
        texture["extensions"] = {"KHR_texture_basisu": {"source": texture.pop("source", 0)}}
    for key in ("extensionsUsed", "extensionsRequired"):
        document[key] = [*document.get(key, []), "KHR_texture_basisu"]
    result = FORMATS.get("glb").read(memoryview(glb.bytes()), "b.glb", lambda _: None, Context())  # type: ignore[misc]
    assert result.faults == ()
    assert len(result.scene.textures) == len(fit.textures)
    report = deliver([result.scene], "b", ["glb", "fbx"], tmp_path, Context())
    assert report.outcome is Outcome.PROVEN
