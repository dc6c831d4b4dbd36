"""Documents changed in their meaning rather than in their bytes: what is read can be used everywhere, or is refused.

Bytes turned at random hardly ever get past a parser. Here values inside well-formed documents are exchanged for others,
and what a reader lets through then goes the whole way: checks, findings, pictures, the store, and every writer.
"""

from __future__ import annotations

import json
import random
from collections.abc import Callable
from dataclasses import replace
from functools import cache
from typing import Any

import numpy as np
import orjson
import pytest
from hypothesis import HealthCheck, example, given, settings
from hypothesis import strategies as st

import pruxel.core.findings  # noqa: F401 - registers all rules
from fuzz.meaning import changed_document
from pruxel.core.base.context import Context
from pruxel.core.base.errors import InputError, UsageError
from pruxel.core.findings.registry import find
from pruxel.core.formats.ready import make_ready
from pruxel.core.formats.registry import FORMATS, Format, ReadResult
from pruxel.core.pictures.render import View, render
from pruxel.core.scene.checks import problems
from pruxel.core.scene.digest import digest
from pruxel.core.scene.manifest import blobs_of, manifest_of, scene_from
from pruxel.core.scene.measure import measure
from pruxel.core.scene.model import Primitive, Scene
from pruxel.core.scene.pose import posed, standing
from tests import zoo
from tests.contracts.test_zoo import opened
from tests.glb import Glb, files_of_glb
from tests.scenes import animated, everything, two_boxes

CONTEXT = Context()
# Numbers at the edge of what a float holds overflow on the way; what comes of it is looked at.
pytestmark = pytest.mark.filterwarnings("ignore::RuntimeWarning")
UNHURRIED = settings(
    deadline=None, max_examples=70, suppress_health_check=[HealthCheck.too_slow, HealthCheck.data_too_large]
)
JUNK: list[Any] = [
    None, True, False, -1, 0, 1, 2, 3, 7, 255, 65535, 2**31, 2**32, 2**53 + 1, 2**63, 2**64 + 5, -(2**63), 10**30, 0.5, -0.0,
    1e-320, 1e308, -1e308, "", "x", "\0", "POSITION", "VEC3", "SCALAR", "MAT4", "../../etc/passwd", "data:,", "a" * 3000,
    [], {}, [[]], [0], [0, 0], [1e308, 1e308, 1e308], [0.0, 0.0, 0.0], [0.0, 0.0, 0.0, 0.0], {"extensions": {}}, [None], ["x"],
]  # fmt: skip


@cache
def documents() -> list[Glb]:
    """Whole GLBs: our own that hold everything, and small ones that nobody here made."""
    made = []
    for scene in (everything(), animated(), two_boxes()):
        fit = make_ready(scene, CONTEXT).scene
        made.append(Glb.of(b"".join(bytes(p) for p in files_of_glb(fit)[0].pieces)))
    strangers = [p for p in zoo.readable() if p.suffix == ".glb" and p.stat().st_size < 200_000]
    return made + [Glb.of(p.read_bytes()) for p in strangers if not isinstance(opened(p), InputError)]


def goes_all_the_way(found: ReadResult, seed: int) -> None:
    """Whatever a reader lets through can be used everywhere."""
    scene = found.scene
    assert problems(scene) == []
    assert all(fault.file and fault.message for fault in found.faults)
    facts = measure(scene)
    assert np.isfinite([*facts.minimum, *facts.maximum, facts.area]).all()
    for finding in find(scene, CONTEXT):
        assert finding.title
    manifest = orjson.loads(orjson.dumps(manifest_of(scene)))
    blobs = {name: bytes(data) for name, data in blobs_of(scene)}
    assert digest(scene_from(manifest, blobs.__getitem__)) == digest(scene)
    for clip in scene.clips[:2]:
        for _, _, mesh in standing(posed(scene, clip, 0.3)):
            assert mesh is not None
    if seed % 8 == 0:
        assert render(scene, CONTEXT, View(width=24, height=18)).shape == (18, 24, 4)
    try:
        fit = make_ready(scene, CONTEXT)
    except UsageError as error:
        assert error.fault.hint
        return
    assert all(fit.told)
    for spec in FORMATS:
        written_again(fit.scene, spec)


def surface_of(primitive: Primitive) -> bool:
    """Whether a triangle has its corners at three places."""
    a, b, c = primitive.positions[primitive.indices].transpose(1, 0, 2)
    return bool(((a != b).any(axis=1) & (b != c).any(axis=1) & (a != c).any(axis=1)).any())


def in_millimetres(primitive: Primitive) -> bool:
    """Whether it has a triangle, and stands where readers take it: beyond 1e18 they do not."""
    near = np.abs(primitive.positions).max(axis=1, initial=0) < 1e15
    return surface_of(replace(primitive, indices=primitive.indices[near[primitive.indices].all(axis=1)]))


def written_again(scene: Scene, spec: Format) -> None:
    """Write in a format and read back."""
    if spec.write is None or spec.read is None:
        return
    files = spec.write(scene, "thing", spec.options(), CONTEXT)
    beside = {f.path: b"".join(bytes(p) for p in f.pieces) for f in files}
    try:
        again = spec.read(memoryview(beside[files[0].path]), files[0].path, beside.get, CONTEXT)
    except InputError:
        shown = [p for _, _, mesh in standing(scene) for p in mesh.primitives]
        # Triangles with corners at fewer than three places are none in 3MF, nor is what no number of millimetres says.
        there = in_millimetres if spec.name == "3mf" else (lambda p: bool(len(p.indices)))
        assert not any(there(p) for p in shown), "what was written is not read again"
        return
    assert problems(again.scene) == []


@UNHURRIED
@given(seed=st.integers(0, 2**32), which=st.integers(0, 99))
@example(seed=268177, which=0)  # it stands farther away than a number of millimetres says
@example(seed=23244, which=4)  # nothing is shown, and an image is none
def test_any_gltf_document_is_used_or_refused(seed: int, which: int) -> None:
    rng = random.Random(seed)
    all_documents = documents()
    base = all_documents[which % len(all_documents)]
    data = Glb(changed_document(base.document, rng, JUNK), bytearray(base.binary)).bytes()
    read = FORMATS.get("glb").read
    assert read is not None
    try:
        found = read(memoryview(data), "odd.glb", lambda _: None, CONTEXT)
    except InputError as error:
        assert error.fault.file == "odd.glb"
        assert "Error" not in error.fault.message
        return
    goes_all_the_way(found, seed)


WORDS = [
    "v", "vn", "vt", "f", "l", "p", "o", "g", "s", "usemtl", "mtllib", "newmtl", "map_Kd", "Kd", "d", "illum", "-bm", "#", "\\",
    "0", "1", "-1", "1/1/1", "1//1", "1/", "//", "-999", "999999999999999999999", "1e400", "-1e400", "nan", "inf", "0x1F", "1,5",
    "off", "\u00e9", "\u202e", "\0", "", "1 2 3", "thing.mtl", "../thing.mtl", "/etc/passwd",
]  # fmt: skip


def changed_text(text: str, rng: random.Random) -> str:
    """Lines left out, doubled or cut, and words exchanged."""
    lines = text.split("\n")
    for _ in range(rng.choice([1, 2, 6])):
        at = rng.randrange(len(lines))
        words = lines[at].split(" ")
        match rng.randrange(6):
            case 0:
                lines[at] = ""
            case 1:
                lines.insert(rng.randrange(len(lines)), lines[at])
            case 2:
                lines[at] = lines[at][: rng.randrange(len(lines[at]) + 1)]
            case 3:
                words.insert(rng.randrange(len(words) + 1), rng.choice(WORDS))
                lines[at] = " ".join(words)
            case _:
                words[rng.randrange(len(words))] = rng.choice(WORDS)
                lines[at] = " ".join(words)
    return rng.choice(["\n", "\n", "\r\n", "\r"]).join(lines)


@cache
def texts() -> list[dict[str, bytes]]:
    write = FORMATS.get("obj").write
    assert write is not None
    made = []
    for scene in (everything(), two_boxes()):
        fit = make_ready(scene, CONTEXT).scene
        made.append(
            {
                f.path: b"".join(bytes(p) for p in f.pieces)
                for f in write(fit, "thing", FORMATS.get("obj").options(), CONTEXT)
            }
        )
    return made


@UNHURRIED
@given(seed=st.integers(0, 2**32))
def test_any_obj_is_used_or_refused(seed: int) -> None:
    rng = random.Random(seed)
    files = dict(rng.choice(texts()))
    for name, data in list(files.items()):
        if name.endswith((".obj", ".mtl")) and rng.random() < 0.8:
            files[name] = changed_text(data.decode(), rng).encode("utf-8", "surrogatepass")
    read = FORMATS.get("obj").read
    assert read is not None
    try:
        found = read(memoryview(files["thing.obj"]), "thing.obj", files.get, CONTEXT)
    except InputError as error:
        assert error.fault.file
        return
    goes_all_the_way(found, seed)


def rings(document: dict[str, Any]) -> None:
    document["nodes"][0]["children"] = [0]


def two_parents(document: dict[str, Any]) -> None:
    document["nodes"].append({"children": [1]})
    document["scenes"][0]["nodes"].append(len(document["nodes"]) - 1)


def far_ring(document: dict[str, Any]) -> None:
    start = len(document["nodes"])
    document["nodes"] += [{"children": [start + 1]}, {"children": [start + 2]}, {"children": [start]}]
    document["scenes"][0]["nodes"].append(start)


def deep(document: dict[str, Any]) -> None:
    start = len(document["nodes"])
    document["nodes"] += [{"children": [start + n + 1]} for n in range(30_000)] + [{}]
    document["scenes"][0]["nodes"].append(start)


def many_copies(document: dict[str, Any]) -> None:
    document["meshes"][0]["primitives"] *= 4000


def huge_count(document: dict[str, Any]) -> None:
    document["accessors"][0]["count"] = 2**40


def huge_stride(document: dict[str, Any]) -> None:
    document["bufferViews"][0]["byteStride"] = 2**31


def joint_of_itself(document: dict[str, Any]) -> None:
    document["skins"][0]["joints"] = [0] * 2


@pytest.mark.timeout(300)
@pytest.mark.parametrize(
    "harm", [rings, two_parents, far_ring, deep, many_copies, huge_count, huge_stride, joint_of_itself]
)
def test_what_would_never_end_or_fill_the_memory_is_met(harm: Callable[[dict[str, Any]], None]) -> None:
    base = documents()[0]
    document = json.loads(json.dumps(base.document))
    harm(document)
    data = Glb(document, bytearray(base.binary)).bytes()
    read = FORMATS.get("glb").read
    assert read is not None
    try:
        found = read(memoryview(data), "odd.glb", lambda _: None, CONTEXT)
    except InputError as error:
        assert error.fault.file == "odd.glb"
        return
    assert problems(found.scene) == []
    measure(found.scene)
