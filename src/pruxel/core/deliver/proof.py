"""Read delivered files back with trimesh, which shares no code with our writers, and compare.

The glTF files also pass through the official validator, when Node and its package are there.
"""

from __future__ import annotations

import json
import logging
import shutil
import subprocess
import warnings
from dataclasses import dataclass
from pathlib import Path
from typing import Any

import numpy as np
import trimesh

from pruxel.core.base.context import Context
from pruxel.core.deliver.facts import GeometryFacts, gather
from pruxel.core.formats.textures import link_name

_VALIDATE = """
const fs=require('fs'),path=require('path'),v=require(process.argv[1]),f=process.argv[2];
v.validateBytes(new Uint8Array(fs.readFileSync(f)),{uri:path.basename(f),maxIssues:50,
externalResourceFunction:u=>Promise.resolve(
new Uint8Array(fs.readFileSync(path.join(path.dirname(f),decodeURIComponent(u)))))})
.then(r=>console.log(JSON.stringify(r.issues)),e=>{console.error(String(e));process.exit(2)});
"""
_MOST_SECONDS = 300


@dataclass(frozen=True)
class Tolerances:
    """How far a value read back may lie from the written one, relative to the model's size (or its area)."""

    length: float = 1e-5
    area: float = 2e-4
    uv: float = 1e-4
    agreement: float = 5e-3


@dataclass(frozen=True)
class Check:
    """One comparison."""

    what: str
    written: str
    read: str
    passed: bool


@dataclass(frozen=True)
class Proof:
    """All comparisons of one file, and the reader used."""

    file: str
    reader: str
    checks: tuple[Check, ...]

    @property
    def passed(self) -> bool:
        """Whether every comparison holds."""
        return all(check.passed for check in self.checks)


def prove(
    main: Path, written: GeometryFacts, format_name: str, context: Context, tolerances: Tolerances
) -> list[Proof]:
    """Read a delivered main file back; a reader that fails is a failed check, not an exception."""
    context.progress(0.0, f"reading {main.name} back")
    logging.getLogger("trimesh").setLevel(logging.ERROR)
    try:
        with warnings.catch_warnings():
            warnings.simplefilter("ignore")  # the reader warns of its own arithmetic
            read, link_checks = _read(main, format_name)
    except Exception as error:  # noqa: BLE001 - whatever the judge trips over is the finding
        failed = Check("the file opens", "yes", f"no: {type(error).__name__}: {error}"[:300], passed=False)
        return [Proof(main.name, "trimesh", (failed,))]
    checks = (*_compare(written, read, tolerances), *link_checks)
    proofs = [Proof(main.name, f"trimesh {trimesh.__version__}", checks)]
    if format_name in {"glb", "gltf"}:
        context.progress(0.6, f"validating {main.name}")
        proofs.append(_validated(main))
    return proofs


def _read(main: Path, format_name: str) -> tuple[GeometryFacts, list[Check]]:
    loaded = trimesh.load_scene(main, process=False, maintain_order=True)
    pieces, names = [], set()
    links: list[Check] = []
    for node in loaded.graph.nodes_geometry:
        matrix, geometry_name = loaded.graph[node]
        mesh: Any = loaded.geometry[geometry_name]
        positions = trimesh.transform_points(mesh.vertices, matrix)
        turn = np.linalg.inv(matrix[:3, :3]).T
        normals = mesh.vertex_normals @ turn.T
        normals = normals / np.maximum(np.linalg.norm(normals, axis=1, keepdims=True), 1e-20)
        uvs = getattr(mesh.visual, "uv", None)
        uvs = None if uvs is None else np.stack([uvs[:, 0], 1 - uvs[:, 1]], axis=1)
        pieces.append((positions, np.asarray(mesh.faces), normals, uvs))
        material = getattr(mesh.visual, "material", None)
        if material is not None and getattr(material, "name", None):
            names.add(str(material.name))
    textures = _gltf_textures(main) if format_name != "obj" else _mtl_textures(main, links)
    return gather(pieces, tuple(sorted(names)), textures), links


def _gltf_textures(main: Path) -> int:
    """Images that decode, counted from the JSON by hand (the reader above does not say)."""
    data = main.read_bytes()
    text = data[20 : 20 + int.from_bytes(data[12:16], "little")] if data[:4] == b"glTF" else data
    document = json.loads(text)
    return sum("bufferView" in image or (main.parent / image["uri"]).is_file() for image in document.get("images", []))


def _mtl_textures(main: Path, links: list[Check]) -> int:
    """Texture files that the MTL names: each must be there, by a relative path."""
    mtl = main.with_suffix(".mtl")
    if not mtl.is_file():
        return 0
    named = {line.split(maxsplit=1)[1] for line in mtl.read_text().splitlines() if line.startswith(("map_", "norm "))}
    broken = sorted(n for n in named if n.startswith(("/", "..")) or not (mtl.parent / n).is_file())
    links.append(Check("texture links resolve", f"{len(named)}", f"{len(named) - len(broken)}", passed=not broken))
    return len(named)


def _compare(w: GeometryFacts, r: GeometryFacts, t: Tolerances) -> list[Check]:
    size = max(*(b - a for a, b in zip(w.minimum, w.maximum, strict=True)), 1e-12)

    def bounds(f: GeometryFacts) -> str:
        return " ".join(f"{v:.4f}" for v in (*f.minimum, *f.maximum))

    apart = max(abs(a - b) for a, b in zip((*w.minimum, *w.maximum), (*r.minimum, *r.maximum), strict=True))
    checks = [
        Check("triangles", f"{w.triangles:,}", f"{r.triangles:,}", w.triangles == r.triangles),
        Check("bounds, m", bounds(w), bounds(r), apart <= t.length * size),
        Check("surface, m²", f"{w.area:.6g}", f"{r.area:.6g}", abs(w.area - r.area) <= t.area * max(w.area, 1e-12)),
        Check(
            "winding (signed volume, m³)",
            f"{w.volume_sum:.6g}",
            f"{r.volume_sum:.6g}",
            abs(w.volume_sum - r.volume_sum) <= t.area * max(w.area * size, 1e-12),
        ),
        Check(
            "faces against normals",
            f"{w.agreement:+.4f}",
            f"{r.agreement:+.4f}",
            abs(w.agreement - r.agreement) <= t.agreement,
        ),
        Check("materials", ", ".join(w.materials), ", ".join(r.materials), _same_names(w.materials, r.materials)),
        Check("textures", str(w.textures), str(r.textures), w.textures == r.textures),
    ]
    if w.uv_minimum and w.uv_maximum:
        checks.append(_uv_check(w, r, t))
    return checks


def _uv_check(w: GeometryFacts, r: GeometryFacts, t: Tolerances) -> Check:
    def shown(f: GeometryFacts) -> str:
        return (
            "none"
            if not f.uv_minimum or not f.uv_maximum
            else " ".join(f"{v:.4f}" for v in (*f.uv_minimum, *f.uv_maximum))
        )

    same = bool(r.uv_minimum and r.uv_maximum) and np.allclose(
        (*w.uv_minimum, *w.uv_maximum),  # type: ignore[misc]
        (*r.uv_minimum, *r.uv_maximum),  # type: ignore[misc]
        rtol=0,
        atol=t.uv,
    )
    return Check("UV range", shown(w), shown(r), bool(same))


def _same_names(written: tuple[str, ...], read: tuple[str, ...]) -> bool:
    return {link_name(n).lower() for n in written} == {link_name(n).lower() for n in read}


def validator_path() -> Path | None:
    """The official validator's package: in the web folder's node_modules of this checkout."""
    for base in Path(__file__).resolve().parents:
        found = base / "web" / "node_modules" / "gltf-validator"
        if found.is_dir():
            return found
    return None


def _validated(main: Path) -> Proof:
    node, package = shutil.which("node"), validator_path()
    if node is None or package is None:
        missing = Check(
            "official validator", "runs", "Node or the package gltf-validator is not installed", passed=False
        )
        return Proof(main.name, "glTF validator", (missing,))
    run = subprocess.run(  # noqa: S603 - a fixed program on our own file
        [node, "-e", _VALIDATE, str(package), str(main.resolve())],
        capture_output=True,
        text=True,
        timeout=_MOST_SECONDS,
        check=False,
    )
    if run.returncode != 0:
        failed = Check("official validator", "runs", run.stderr.strip()[:300], passed=False)
        return Proof(main.name, "glTF validator", (failed,))
    issues = json.loads(run.stdout)
    worst = "; ".join(f"{m['code']} at {m.get('pointer', '?')}" for m in issues["messages"] if m["severity"] < 2)
    checks = (
        Check("errors", "0", f"{issues['numErrors']} {worst}".strip()[:300], issues["numErrors"] == 0),
        Check("warnings", "0", str(issues["numWarnings"]), issues["numWarnings"] == 0),
    )
    return Proof(main.name, "glTF validator", checks)
