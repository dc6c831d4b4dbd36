"""The judge: a program for Node with three.js's loaders and the official glTF validator inside, kept ready.

It is built into this package by the page's build (`web/judge`), so that an installed application has it as a checkout
does.
"""

from __future__ import annotations

import json
import shutil
from collections.abc import Sequence
from dataclasses import dataclass
from pathlib import Path
from typing import Any

import numpy as np

from pruxel.core.base.arrays import AnyArray
from pruxel.core.disk.scratch import scratch_folder
from pruxel.core.native.basis import PROGRAMS
from pruxel.core.native.processes import NoAnswer
from pruxel.core.native.ready import ask

PROGRAM = PROGRAMS / "judge.mjs"
_MOST_SECONDS = 300
_MOST_MEGABYTES = 4096


class JudgeMissing(Exception):  # noqa: N818 - what happened, in the words of a proof
    """There is nobody to ask: Node or the judge is not installed."""


class JudgeFailed(Exception):  # noqa: N818 - the same
    """The judge could not read the file."""


@dataclass(frozen=True, eq=False)
class Geometry:
    """Arrays of one geometry: (n, 3), (n, 2), (n, 4) float32 and (m,) uint32 corners or None for all in order."""

    positions: AnyArray
    normals: AnyArray | None
    uvs: tuple[AnyArray, ...]
    colors: tuple[AnyArray, ...]
    indices: AnyArray | None
    joints: AnyArray | None
    weights: AnyArray | None


@dataclass(frozen=True, eq=False)
class ReadBack:
    """All that the judge saw.

    Nodes, parts, materials, clips, poses and looks are JSON as `web/judge/readback.ts` describes it.
    """

    reader: str
    nodes: list[dict[str, Any]]
    geometries: list[Geometry]
    parts: list[dict[str, Any]]
    materials: list[dict[str, Any]]
    clips: list[dict[str, Any]]
    poses: list[dict[str, Any]]
    images: list[AnyArray]
    looks: list[dict[str, Any]]
    unit: float = 1.0  # centimetres in the file's unit of length, where it says so
    up: str = "y"  # the axis that it says points up


def read_back(main: Path, how: str) -> ReadBack:
    """Let the judge read a file as 'gltf' or 'obj'; raises `JudgeMissing` or `JudgeFailed`."""
    with scratch_folder() as folder:
        out = folder / "read"
        _run([how, str(main.resolve()), str(out)])
        document = json.loads(out.with_suffix(".json").read_text())
        data = out.with_suffix(".bin").read_bytes()
    return _loaded(document, data)


def validate(main: Path) -> dict[str, Any]:
    """The official validator's issues of a glTF file; raises `JudgeMissing` or `JudgeFailed`."""
    issues: dict[str, Any] = _run(["validate", str(main.resolve())])
    return issues


def _run(question: Sequence[str]) -> Any:  # noqa: ANN401 - JSON
    node = shutil.which("node")
    if node is None:
        message = "Node.js is not installed"
        raise JudgeMissing(message)
    if not PROGRAM.is_file():
        message = f"the reader {PROGRAM.name} is not built; run 'make setup'"
        raise JudgeMissing(message)
    return ask_judge([node, f"--max-old-space-size={_MOST_MEGABYTES}", str(PROGRAM)], question)


def ask_judge(command: Sequence[str], question: Sequence[str]) -> Any:  # noqa: ANN401 - JSON
    """What a judge's program answers; raises `JudgeFailed` when it takes too long, ends or cannot read the file."""
    try:
        return ask(command, question, _MOST_SECONDS)
    except NoAnswer as error:
        raise JudgeFailed(str(error)) from None


def _loaded(document: dict[str, Any], data: bytes) -> ReadBack:
    def array(ref: dict[str, Any] | None) -> AnyArray | None:
        if ref is None:
            return None
        found = np.frombuffer(data, "<" + ref["type"], ref["count"] * ref["width"], ref["offset"])
        return found.reshape(-1, ref["width"]) if ref["width"] > 1 else found

    def needed(ref: dict[str, Any]) -> AnyArray:
        found = array(ref)
        assert found is not None
        return found

    def side_by_side(refs: list[dict[str, Any]]) -> AnyArray | None:
        return np.concatenate([needed(ref) for ref in refs], axis=1) if refs else None

    geometries = [
        Geometry(
            needed(g["positions"]),
            array(g["normals"]),
            tuple(needed(ref) for ref in g["uvs"]),
            tuple(needed(ref) for ref in g["colors"]),
            array(g["indices"]),
            side_by_side(g["joints"]),
            side_by_side(g["weights"]),
        )
        for g in document["geometries"]
    ]
    poses = [pose | {"positions": needed(pose["positions"])} for pose in document["poses"]]
    listed = (document[key] for key in ("nodes", "parts", "materials", "clips"))
    nodes, parts, materials, clips = listed
    unit = float(document.get("unit", 1.0))
    images = [needed(ref) for ref in document["images"]]
    looks = [one | {"times": needed(one["times"]), "values": needed(one["values"])} for one in document["looks"]]
    up = document.get("up", "y")
    return ReadBack(document["reader"], nodes, geometries, parts, materials, clips, poses, images, looks, unit, up)
