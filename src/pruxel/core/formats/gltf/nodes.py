"""Nodes, skins, cameras and lights of a glTF file. Source: glTF 2.0, sections 3.5, 3.7.3 and 3.10.

KHR_lights_punctual.
"""

from __future__ import annotations

import math
from dataclasses import dataclass, field, replace
from typing import Any

import numpy as np

from pruxel.core.base.arrays import AnyArray, DoubleArray, frozen
from pruxel.core.base.errors import ErrorCode, Fault
from pruxel.core.formats.fields import Fields
from pruxel.core.formats.gltf.access import Access
from pruxel.core.formats.gltf.extras import extras_text
from pruxel.core.formats.gltf.pointers import VISIBILITY
from pruxel.core.scene.model import Camera, Light, Mesh, Node, Skin, Vec4
from pruxel.core.scene.origin import Origin
from pruxel.core.scene.walk import placed_by

_INSTANCING = "EXT_mesh_gpu_instancing"
_LIGHTS = "KHR_lights_punctual"
_ROLES = ("visual", "collision", "helper")
_MOST_DETAIL = 100


@dataclass(eq=False)
class NodeReader:
    """Reads the nodes of one document. `instanced` nodes come after those of the file."""

    access: Access
    counts: dict[str, int]
    faults: list[Fault] = field(default_factory=list)
    notes: list[str] = field(default_factory=list)

    def nodes(self, listed: list[Fields]) -> list[Node]:
        """All nodes; one with instances becomes the parent of as many nodes that share its mesh."""
        nodes = [self._node(found, number, len(listed)) for number, found in enumerate(listed)]
        for number, found in enumerate(listed):
            extensions = found.object("extensions")
            instancing = None if extensions is None else extensions.object(_INSTANCING)
            if instancing is not None and nodes[number].mesh is not None:
                made = self._instances(instancing, nodes[number])
                first = len(nodes)
                nodes[number] = replace(
                    nodes[number],
                    mesh=None,
                    skin=None,
                    children=(*nodes[number].children, *range(first, first + len(made))),
                )
                nodes += made
        return nodes

    def _node(self, found: Fields, number: int, count: int) -> Node:
        extensions = found.object("extensions")
        light = None if extensions is None else extensions.object(_LIGHTS)
        seen = None if extensions is None else extensions.object(VISIBILITY)
        if seen is not None and not seen.flag("visible", default=True):
            self.notes.append(f"{found.place} is not to be seen at first")
        own = _own_extras(found)
        node = Node(
            found.text("name", "") or f"node {number + 1}",
            mesh=found.index("mesh", self.counts["meshes"], None),
            skin=found.index("skin", self.counts["skins"], None),
            camera=found.index("camera", self.counts["cameras"], None),
            light=None if light is None else light.index("light", self.counts["lights"], None),
            children=found.integers("children", count),
            weights=found.numbers("weights", None, None),
            **own,
            extras=extras_text(found, without=own),
            origin=Origin(entry=self.access.name, record=found.place),
        )
        return self._placed(node, found)

    def _placed(self, node: Node, found: Fields) -> Node:
        if "matrix" not in found:
            rotation = found.numbers("rotation", 4, (0.0, 0.0, 0.0, 1.0))
            return replace(
                node,
                translation=found.numbers("translation", 3, (0.0, 0.0, 0.0)),
                rotation=self._unit(rotation, found),
                scale=found.numbers("scale", 3, (1.0, 1.0, 1.0)),
            )
        matrix = np.array(found.numbers("matrix", 16)).reshape(4, 4).T
        return placed_by(node, matrix)

    def _unit(self, rotation: Vec4, found: Fields) -> Vec4:
        length = math.sqrt(math.fsum(v * v for v in rotation))
        if length < 1e-6:
            self._told(
                found, "rotation", "a rotation has no length and counts as none", "four numbers of length 1", rotation
            )
            return (0.0, 0.0, 0.0, 1.0)
        if abs(length - 1) > 1e-3:
            self._told(
                found, "rotation", "a rotation is not of unit length; it is scaled to it", "length 1", f"{length:.4g}"
            )
        x, y, z, w = (v / length for v in rotation)
        return rotation if abs(length - 1) < 1e-6 else (x, y, z, w)

    def _told(self, found: Fields, key: str, message: str, expected: str, value: object) -> None:
        self.faults.append(
            Fault(
                ErrorCode.MALFORMED,
                message,
                file=self.access.name,
                field=f"{found.place}.{key}",
                expected=expected,
                found=str(value),
            )
        )

    def _instances(self, found: Fields, node: Node) -> list[Node]:
        attributes = found.needed("attributes")
        keys = [key for key in ("TRANSLATION", "ROTATION", "SCALE") if key in attributes]
        arrays = {key: self.access.floats(attributes.index(key, len(self.access.accessors))) for key in keys}
        counts = {len(array) for array in arrays.values()}
        widths = {"TRANSLATION": 3, "ROTATION": 4, "SCALE": 3}
        if len(counts) != 1 or any(a.shape[1] != widths[k] or not np.isfinite(a).all() for k, a in arrays.items()):
            raise attributes.bad(
                "TRANSLATION", "the instances do not fit together", "attributes of one length", sorted(counts)
            )
        count = counts.pop()
        if count > self.access.limits.nodes:
            raise attributes.bad("TRANSLATION", "too many instances", f"up to {self.access.limits.nodes:,}", count)
        whole = {
            "translation": _rows(arrays.get("TRANSLATION"), (0.0, 0.0, 0.0), count),
            "rotation": _rows(_unit_rows(arrays.get("ROTATION")), (0.0, 0.0, 0.0, 1.0), count),
            "scale": _rows(arrays.get("SCALE"), (1.0, 1.0, 1.0), count),
        }
        places: list[dict[str, Any]] = [{k: tuple(v[i]) for k, v in whole.items()} for i in range(count)]
        return [
            Node(f"{node.name}.{i + 1}", mesh=node.mesh, origin=node.origin, **place) for i, place in enumerate(places)
        ]

    def skin(self, found: Fields, number: int, nodes: int) -> Skin:
        """One skin; joints without matrices are bound where they stand at the origin (section 3.7.3.3)."""
        joints = found.integers("joints", nodes)
        if not joints:
            raise found.bad("joints", "a skin without joints", "at least one", "none")
        matrices: DoubleArray = np.tile(np.eye(4), (len(joints), 1, 1))
        accessor = found.index("inverseBindMatrices", len(self.access.accessors), None)
        if accessor is not None:
            stored = self.access.floats(accessor)
            if stored.shape[1] != 16 or len(stored) < len(joints) or not np.isfinite(stored).all():
                raise found.bad(
                    "inverseBindMatrices",
                    "the matrices do not fit the joints",
                    f"{len(joints)} matrices of 16 finite numbers",
                    f"{len(stored)} of {stored.shape[1]}",
                )
            matrices = stored[: len(joints)].reshape(-1, 4, 4).transpose(0, 2, 1).astype(np.float64)
        name = found.text("name", "") or f"skin {number + 1}"
        skeleton = found.index("skeleton", nodes, None)
        return Skin(name, joints, frozen(matrices), skeleton=skeleton, extras=extras_text(found))


def _own_extras(found: Fields) -> dict[str, Any]:
    """What our own writer says of a node in its extras: its role and level of detail."""
    extras = found.values.get("extras")
    if not isinstance(extras, dict):
        return {}
    own: dict[str, Any] = {"role": extras.get("role")} if extras.get("role") in _ROLES else {}
    detail = extras.get("detail")
    return own | {"detail": detail} if type(detail) is int and 0 <= detail <= _MOST_DETAIL else own


def _rows(array: AnyArray | None, default: tuple[float, ...], count: int) -> list[list[float]]:
    return [list(default)] * count if array is None else array.astype(np.float64).tolist()


def _unit_rows(array: AnyArray | None) -> AnyArray | None:
    if array is None:
        return None
    length = np.linalg.norm(array, axis=1, keepdims=True)
    return np.where(length > 1e-6, array / np.maximum(length, 1e-6), (0.0, 0.0, 0.0, 1.0))


def unskinned(nodes: list[Node], meshes: list[Mesh], skins: list[Skin], faults: list[Fault], file: str) -> list[Node]:
    """The nodes, those without their skin that it does not fit: a joint number beyond it, no joints, no mesh."""
    result = []
    for node in nodes:
        if node.skin is None:
            result.append(node)
            continue
        primitives = () if node.mesh is None else meshes[node.mesh].primitives
        most = max((int(p.joints.max(initial=0)) for p in primitives if p.joints is not None), default=-1)
        count = len(skins[node.skin].joints)
        if 0 <= most < count:
            result.append(node)
            continue
        result.append(replace(node, skin=None))
        if primitives:
            message = f"the skin of '{node.name}' does not fit its mesh and is left off"
            found = f"joint {most}" if most >= 0 else "no joints in the mesh"
            faults.append(
                Fault(
                    ErrorCode.MALFORMED,
                    message,
                    file=file,
                    field=node.origin.record,
                    expected=f"joints below {count}",
                    found=found,
                )
            )
    return result


def camera(found: Fields, number: int) -> Camera:
    """One camera."""
    name, extras = found.text("name", "") or f"camera {number + 1}", extras_text(found)
    found.pass_over("type")
    flat = found.object("orthographic")
    if flat is not None:
        return Camera(
            name,
            xmag=flat.number("xmag"),
            ymag=flat.number("ymag"),
            near=flat.number("znear", low=0),
            far=flat.number("zfar", low=0),
            extras=extras,
        )
    deep = found.needed("perspective")
    return Camera(
        name,
        yfov_rad=deep.number("yfov", low=1e-6, high=math.pi),
        aspect=deep.number("aspectRatio", None, low=1e-6),
        near=deep.number("znear", low=0),
        far=deep.number("zfar", None, low=0),
        extras=extras,
    )


def light(found: Fields, number: int) -> Light:
    """One light of KHR_lights_punctual."""
    spot = found.object("spot")
    plain = Light("")
    return Light(
        found.text("name", "") or f"light {number + 1}",
        found.choice("type", ("directional", "point", "spot")),
        color=found.numbers("color", 3, plain.color, low=0),
        intensity=found.number("intensity", 1.0, low=0),
        range=found.number("range", None, low=1e-9),
        inner_cone_rad=plain.inner_cone_rad
        if spot is None
        else spot.number("innerConeAngle", 0.0, low=0, high=math.pi / 2),
        outer_cone_rad=plain.outer_cone_rad
        if spot is None
        else spot.number("outerConeAngle", plain.outer_cone_rad, low=0, high=math.pi / 2),
        extras=extras_text(found),
    )
