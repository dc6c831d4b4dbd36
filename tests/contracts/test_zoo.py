"""Every reader, finding and writer over models that nobody here made, some of them broken on purpose.

The package is installed by the set-up; without it these tests fail rather than pass over.
"""

from __future__ import annotations

from functools import lru_cache
from pathlib import Path

import numpy as np
import pytest

import pruxel.core.findings  # noqa: F401 - registers all rules
from pruxel.core.base.context import Context
from pruxel.core.base.errors import InputError, UsageError
from pruxel.core.deliver.deliver import Report, deliver
from pruxel.core.deliver.proof import Outcome
from pruxel.core.findings.registry import find
from pruxel.core.formats.registry import ReadResult, format_for
from pruxel.core.knowledge.kinds import Kind, classify
from pruxel.core.pictures.render import View, render
from pruxel.core.scene.checks import problems
from pruxel.core.scene.digest import digest
from pruxel.core.scene.manifest import complete_manifest
from pruxel.core.scene.measure import measure
from pruxel.core.scene.pose import posed, standing
from tests import zoo

CONTEXT = Context()
READABLE = zoo.readable()
UNMARKED = {"box_UTF16BE.obj", "empty.obj", "malformed2.obj", "empty.ply", "empty.off"}
UNMARKED |= {"3DSMaxExport.STL", "Spider_binary.stl", "Wuson.stl"}
# All that is asked of a file is asked in a row, so that it is read once.
EACH = pytest.mark.parametrize("path", READABLE, ids=zoo.label, scope="module")
# What is broken on purpose, of a version of old, or asks for what no file holds; nothing else may be refused.
REFUSED = {
    "FBX/transparentTest.fbx", "OBJ/point_cloud.obj", "OFF/invalid.off", "PLY/issue623.ply",
    "glTF/BoxTextured-glTF/BoxTextured.gltf", "glTF/BoxTextured-glTF-Binary/BoxTextured.glb",
    "glTF/BoxTextured-glTF-Embedded/BoxTextured.gltf", "glTF/BoxTextured-glTF-MaterialsCommon/BoxTextured.gltf",
    "glTF/CesiumMilkTruck/CesiumMilkTruck.gltf", "glTF/IncorrectVertexArrays/Cube_v1.gltf",
    "glTF/TwoBoxes/TwoBoxes.gltf", "glTF2/BoxTextured-glTF-techniqueWebGL/BoxTextured.gltf",
    "glTF2/BoxWithInfinites-glTF-Binary/BoxWithInfinites.glb", "glTF2/IndexOutOfRange/AllIndicesOutOfRange.gltf",
    "glTF2/IndexOutOfRange/IndexOutOfRange.gltf", "glTF2/MissingBin/BoxTextured.gltf",
    "glTF2/RecursiveNodes/RecursiveNodes.gltf", "glTF2/SchemaFailures/sceneWrongType.gltf",
    "glTF2/TestNoRootNode/NoScene.gltf", "glTF2/TestNoRootNode/SceneWithoutNodes.gltf",
    "glTF2/wrongTypes/badArray.gltf", "glTF2/wrongTypes/badString.gltf", "invalid/OutOfMemory.off",
    "invalid/empty.obj", "invalid/empty.off", "invalid/empty.ply",
}  # fmt: skip
_BY_TURNS = (("fbx", "glb"), ("obj", "3mf"), ("fbx", "ply"), ("glb", "obj"), ("fbx", "stl"))


def read(path: Path) -> ReadResult:
    """The file as its reader gives it; raises `InputError`."""
    spec = format_for(path.name, path.read_bytes()[:512])
    assert spec is not None
    assert spec.read is not None

    def beside(name: str) -> bytes | None:
        found = path.parent / name.replace("\\", "/")
        return found.read_bytes() if found.is_file() else None

    return spec.read(memoryview(path.read_bytes()), path.name, beside, CONTEXT)


@lru_cache(maxsize=8)
def opened(path: Path) -> ReadResult | InputError:
    try:
        return read(path)
    except InputError as error:
        return error


def assert_proven(report: Report) -> None:
    """Every check of every reader holds, and none was left out."""
    wrong = [
        (made.format, proof.reader, check.what, check.written, check.read)
        for made in report.formats
        for proof in made.proofs
        for check in proof.checks
        if not check.passed
    ]
    assert wrong == []
    assert all(proof.outcome is Outcome.PROVEN for made in report.formats for proof in made.proofs)


def test_the_zoo_is_there() -> None:
    assert len(zoo.models()) > 100, "install Debian's assimp-testmodels (make setup does)"
    assert {zoo.label(path) for path in READABLE} > REFUSED


def test_nothing_of_an_open_format_is_unknown() -> None:
    strange = [
        zoo.label(p)
        for p in zoo.models()
        if classify(p.read_bytes()[:4096], p.stat().st_size, p.name, ()) is Kind.UNKNOWN
    ]
    assert strange == []


def test_what_we_read_is_known_without_its_ending() -> None:
    """By its first bytes alone; not what is empty, broken in its first lines, or text of two bytes a character.

    Binary STL has no mark.
    """
    lost = [
        zoo.label(p) for p in READABLE if format_for("some file", p.read_bytes()[:512]) is not format_for(p.name, b"")
    ]
    assert {Path(name).name for name in lost} <= UNMARKED
    for path in zoo.models():
        assert path in READABLE or format_for("some file", path.read_bytes()[:512]) is None, path


@EACH
def test_it_is_read_whole_or_refused_clearly(path: Path) -> None:
    found = opened(path)
    assert isinstance(found, InputError) == (zoo.label(path) in REFUSED)
    if isinstance(found, InputError):
        fault = found.fault
        assert fault.file
        assert len(fault.line()) > len(fault.message)
        return
    scene = found.scene
    assert problems(scene) == []
    assert all(fault.file and fault.message for fault in found.faults)
    assert digest(scene) == digest(read(path).scene), "the same bytes give the same scene"
    assert complete_manifest(scene)["nodes"] is not None
    facts = measure(scene)
    assert np.isfinite([*facts.minimum, *facts.maximum, facts.area]).all()
    for clip in scene.clips:
        for seconds in (0.0, 0.37, 1e6):
            for _, _, mesh in standing(posed(scene, clip, seconds)):
                assert all(np.isfinite(p.positions).all() for p in mesh.primitives)


@EACH
def test_its_findings_name_parts_it_has(path: Path) -> None:
    found = opened(path)
    if isinstance(found, InputError):
        return
    names = {node.name for node in found.scene.nodes}
    for finding in find(found.scene, CONTEXT):
        assert finding.title
        assert finding.evidence
        assert set(finding.parts) <= names


@EACH
def test_it_is_delivered_and_proven(path: Path, tmp_path: Path) -> None:
    found = opened(path)
    if isinstance(found, InputError):
        return
    # Two formats each, by turns: over the whole zoo each meets every kind of file.
    formats = list(_BY_TURNS[READABLE.index(path) % len(_BY_TURNS)])
    if not any(mesh.primitives or mesh.strokes for _, _, mesh in standing(found.scene)):
        with pytest.raises(UsageError, match="nothing to write"):
            deliver([found.scene], "thing", ["stl"], tmp_path, CONTEXT)
        formats = ["glb", "fbx"]
        if not found.scene.skins:
            return
    report = deliver([found.scene], "thing", formats, tmp_path, CONTEXT)
    assert_proven(report)


@pytest.mark.parametrize("path", READABLE[::3], ids=zoo.label, scope="module")
def test_it_is_drawn(path: Path) -> None:
    found = opened(path)
    if isinstance(found, InputError):
        return
    drawn = render(found.scene, CONTEXT, View(width=48, height=36))
    assert drawn.shape == (36, 48, 4)
