"""Meshes of a glTF file. Source: glTF 2.0, sections 3.7.2 (meshes) and 3.7.3.3 (skinned vertices)."""

from __future__ import annotations

import re
from dataclasses import dataclass, field, replace

import numpy as np

from pruxel.core.base.arrays import AnyArray, all_finite, as_floats, as_indices, frozen
from pruxel.core.base.errors import ErrorCode, Fault, InputError
from pruxel.core.formats.fields import Fields
from pruxel.core.formats.gltf import draco
from pruxel.core.formats.gltf.access import Access
from pruxel.core.formats.gltf.extras import extras_text
from pruxel.core.formats.gltf.variants import dressings_in
from pruxel.core.geometry.flat import unshared
from pruxel.core.geometry.normals import vertex_normals
from pruxel.core.scene.model import Attribute, Mesh, MorphTarget, Primitive, Strokes
from pruxel.core.scene.origin import Origin

_POINTS, _LINES, _LOOP, _LINE_STRIP, _TRIANGLES, _STRIP, _FAN = range(7)
_WORDS = ("points", "lines", "line loop", "line strip", "triangles", "triangle strip", "triangle fan")
_SETS = 8


@dataclass(eq=False)
class MeshReader:
    """Reads the meshes of one document; what cannot be used is left out and told in `faults`."""

    access: Access
    materials: int
    variants: tuple[str, ...] = ()
    faults: list[Fault] = field(default_factory=list)

    def mesh(self, found: Fields, number: int) -> Mesh:
        """One mesh; a primitive that cannot be read is left out."""
        name = found.text("name", "") or f"mesh {number + 1}"
        extras = found.object("extras")
        names = () if extras is None else extras.texts("targetNames")
        primitives: list[Primitive] = []
        strokes: list[Strokes] = []
        for item in found.objects("primitives"):
            mode = item.integer("mode", _TRIANGLES)
            if mode > _FAN:
                self._told(item, "a primitive of an unknown mode is left out", "0 to 6", str(mode))
                item.give_up()
                continue
            try:
                if mode < _TRIANGLES:
                    strokes.append(self._strokes(item, mode))
                else:
                    primitives += self._primitive(item, mode, names)
            except InputError as error:
                self.faults.append(error.fault)
                item.give_up()
        weights = found.numbers("weights", None, ())
        return Mesh(
            name,
            tuple(primitives),
            strokes=tuple(strokes),
            target_weights=weights,
            extras=extras_text(found, without=("targetNames",)),
        )

    def _told(self, item: Fields, message: str, expected: str | None = None, found: str | None = None) -> None:
        fault = Fault(
            ErrorCode.MALFORMED, message, file=self.access.name, field=item.place, expected=expected, found=found
        )
        self.faults.append(fault)

    def _positions(self, attributes: Fields) -> AnyArray:
        positions = self._attribute(attributes, "POSITION", (3,), None)
        if positions is None:
            raise attributes.bad("POSITION", "a primitive has no positions and is left out", "an accessor", "nothing")
        if not all_finite(positions):
            first = int(np.argmin(np.isfinite(positions).all(axis=1)))
            raise InputError(
                ErrorCode.MALFORMED,
                "a position is not a number; the primitive is left out",
                file=self.access.name,
                field=f"{attributes.place}.POSITION vertex {first:,}",
                expected="finite numbers",
                found=str(positions[first].tolist()),
            )
        return positions

    def _attribute(self, attributes: Fields, key: str, widths: tuple[int, ...], count: int | None) -> AnyArray | None:
        """An attribute as float32 rows; what is not finite becomes 0 and is told."""
        number = attributes.index(key, len(self.access.accessors), None)
        if number is None:
            return None
        array = self.access.floats(number)
        if array.shape[1] not in widths:
            expected = " or ".join(str(w) for w in widths)
            raise attributes.bad(key, "an attribute has another width", f"{expected} numbers a vertex", array.shape[1])
        if count is not None and len(array) != count:
            raise attributes.bad(key, "an attribute has another length than POSITION", f"{count:,}", len(array))
        if key != "POSITION" and not all_finite(array):
            wrong = int((~np.isfinite(array)).any(axis=1).sum())
            self._told(attributes, f"{wrong:,} values of {key} are not numbers and count as 0")
            array = frozen(np.nan_to_num(array, nan=0.0, posinf=0.0, neginf=0.0))
        return array

    def _sets(self, attributes: Fields, key: str, widths: tuple[int, ...], count: int) -> list[AnyArray]:
        """Numbered attributes in order; a number that is missing below others is filled with zeros and told."""
        found = [self._attribute(attributes, f"{key}_{i}", widths, count) for i in range(_SETS)]
        last = max((i for i, array in enumerate(found) if array is not None), default=-1)
        filled = []
        for number, array in enumerate(found[: last + 1]):
            if array is None:
                self._told(attributes, f"{key}_{number} is missing below {key}_{last}; it is filled with zeros")
            filled.append(np.zeros((count, widths[0]), np.float32) if array is None else array)
        return filled

    def _primitive(self, item: Fields, mode: int, names: tuple[str, ...]) -> list[Primitive]:
        extensions = item.object("extensions")
        packed = None if extensions is None else extensions.object(draco.NAME)
        if packed is not None:
            draco.unpack(self.access, item, packed)
        attributes = item.needed("attributes")
        positions = self._positions(attributes)
        count = len(positions)
        indices = self._triangles(item, mode, count)
        if not len(indices):
            self._told(item, "a primitive without a triangle is left out")
            return []
        joints, weights = self._influences(attributes, count)
        primitive = Primitive(
            as_floats(positions, 3),
            indices,
            normals=self._attribute(attributes, "NORMAL", (3,), count),
            tangents=self._attribute(attributes, "TANGENT", (4,), count),
            uvs=tuple(self._sets(attributes, "TEXCOORD", (2,), count)),
            colors=tuple(_opaque(c) for c in self._sets(attributes, "COLOR", (4, 3), count)),
            joints=joints,
            weights=weights,
            attributes=tuple(self._custom(attributes, count)),
            material=item.index("material", self.materials, None),
            dressings=dressings_in(extensions, self.variants, self.materials),
            targets=tuple(self._target(t, n, names, count) for n, t in enumerate(item.objects("targets"))),
            origin=Origin(entry=self.access.name, record=item.place),
        )
        return [self._with_normals(primitive, item)]

    def _with_normals(self, primitive: Primitive, item: Fields) -> Primitive:
        """No normals means flat (section 3.7.2.1): every face by itself, given tangents ignored."""
        if primitive.normals is None:
            return flat_shaded(primitive)
        x, y, z = primitive.normals.T
        square = x * x + y * y + z * z
        if float(square.min()) > 1 - 1e-2 and float(square.max()) < 1 + 1e-2:
            return primitive
        length = np.sqrt(square)[:, None]
        if float(length.min()) < 1e-6:
            empty = length[:, 0] < 1e-6
            self._told(item, f"{int(empty.sum()):,} normals have no length and are worked out from the faces")
            computed = vertex_normals(primitive.positions, primitive.indices)
            return replace(primitive, normals=as_floats(np.where(empty[:, None], computed, primitive.normals), 3))
        return replace(primitive, normals=as_floats(primitive.normals / length, 3))

    def _custom(self, attributes: Fields, count: int) -> list[Attribute]:
        found = []
        for key in sorted(attributes.values):
            if re.fullmatch(r"_[A-Za-z0-9_]+", key):
                number = attributes.index(key, len(self.access.accessors))
                values, _ = self.access.raw(number)
                if len(values) == count:
                    found.append(Attribute(key[1:], values))
                else:
                    self._told(attributes, f"{key} has {len(values):,} values for {count:,} vertices and is left out")
        return found

    def _influences(self, attributes: Fields, count: int) -> tuple[AnyArray | None, AnyArray | None]:
        """All sets of joints and weights side by side; a set with only one of the two is not taken."""
        pairs = []
        for i in range(_SETS):
            if f"JOINTS_{i}" not in attributes or f"WEIGHTS_{i}" not in attributes:
                break
            weights = self._attribute(attributes, f"WEIGHTS_{i}", (4,), count)
            joints, _ = self.access.raw(attributes.index(f"JOINTS_{i}", len(self.access.accessors)))
            assert weights is not None
            if joints.shape != weights.shape or joints.dtype.kind != "u" or int(joints.max()) > 65_535:
                raise attributes.bad(
                    f"JOINTS_{i}", "joints are not whole numbers, four a vertex", "u8 or u16, four", joints.shape
                )
            pairs.append((joints.astype(np.uint16), np.maximum(weights, np.float32(0))))
        if not pairs:
            return None, None
        joints = np.concatenate([pair[0] for pair in pairs], axis=1)
        return frozen(joints), frozen(np.concatenate([pair[1] for pair in pairs], axis=1))

    def _target(self, found: Fields, number: int, names: tuple[str, ...], count: int) -> MorphTarget:
        name = names[number] if number < len(names) else f"target {number + 1}"
        return MorphTarget(
            name,
            self._attribute(found, "POSITION", (3,), count),
            normals=self._attribute(found, "NORMAL", (3,), count),
            tangents=self._attribute(found, "TANGENT", (3,), count),
            uvs=tuple(self._sets(found, "TEXCOORD", (2,), count)),
            colors=tuple(_padded(c) for c in self._sets(found, "COLOR", (4, 3), count)),
        )

    def _corners(self, item: Fields, vertices: int) -> AnyArray:
        number = item.index("indices", len(self.access.accessors), None)
        if number is None:
            return np.arange(vertices, dtype=np.uint32)
        raw, _ = self.access.raw(number)
        if raw.shape[1] != 1 or raw.dtype.kind != "u":
            raise item.bad("indices", "indices are not whole numbers", "u8, u16 or u32, one each", str(raw.dtype))
        flat = raw.reshape(-1).astype(np.uint32, copy=False)
        if int(flat.max(initial=0)) >= vertices:
            first = int(np.argmax(flat >= vertices))
            raise InputError(
                ErrorCode.MALFORMED,
                "an index is out of range; the primitive is left out",
                file=self.access.name,
                field=f"{item.place} index {first:,}",
                expected=f"0 to {vertices - 1:,}",
                found=str(int(flat[first])),
            )
        return flat

    def _triangles(self, item: Fields, mode: int, vertices: int) -> AnyArray:
        flat = self._corners(item, vertices)
        if mode == _STRIP:
            corners = (
                np.stack([flat[:-2], flat[1:-1], flat[2:]], axis=1) if len(flat) > 2 else np.zeros((0, 3), np.uint32)
            )
            corners[1::2] = corners[1::2, [1, 0, 2]]
        elif mode == _FAN:
            rest = max(len(flat) - 2, 0)
            corners = np.stack([flat[1 : 1 + rest], flat[2 : 2 + rest], np.full(rest, flat[0])], axis=1)
        else:
            if len(flat) % 3:
                self._told(
                    item,
                    "the last corners make no whole triangle and are left out",
                    "a multiple of three",
                    f"{len(flat):,}",
                )
            corners = flat[: len(flat) - len(flat) % 3].reshape(-1, 3)
        return as_indices(corners)

    def _strokes(self, item: Fields, mode: int) -> Strokes:
        attributes = item.needed("attributes")
        positions = self._positions(attributes)
        flat = self._corners(item, len(positions))
        if mode == _POINTS:
            corners = flat.reshape(-1, 1)
        elif mode == _LINES:
            corners = flat[: len(flat) - len(flat) % 2].reshape(-1, 2)
        else:
            around = np.append(flat, flat[:1]) if mode == _LOOP else flat
            corners = np.stack([around[:-1], around[1:]], axis=1)
        return Strokes(
            as_floats(positions, 3),
            frozen(corners),
            colors=tuple(_opaque(c) for c in self._sets(attributes, "COLOR", (4, 3), len(positions))),
            material=item.index("material", self.materials, None),
            origin=Origin(entry=self.access.name, record=item.place),
        )


def flat_shaded(primitive: Primitive) -> Primitive:
    """The primitive with a normal for every face: corners share no vertices, tangents go."""
    rows, indices = unshared(primitive.indices)

    def picked(array: AnyArray) -> AnyArray:
        return frozen(array[rows])

    def optional(array: AnyArray | None) -> AnyArray | None:
        return None if array is None else picked(array)

    targets = tuple(
        MorphTarget(
            t.name,
            optional(t.positions),
            uvs=tuple(picked(uv) for uv in t.uvs),
            colors=tuple(picked(c) for c in t.colors),
        )
        for t in primitive.targets
    )
    positions = picked(primitive.positions)
    return replace(
        primitive,
        positions=positions,
        indices=indices,
        normals=vertex_normals(positions, indices),
        tangents=None,
        uvs=tuple(picked(uv) for uv in primitive.uvs),
        colors=tuple(picked(c) for c in primitive.colors),
        joints=optional(primitive.joints),
        weights=optional(primitive.weights),
        attributes=tuple(Attribute(a.name, picked(a.values)) for a in primitive.attributes),
        targets=targets,
    )


def _opaque(colors: AnyArray) -> AnyArray:
    """Four channels, the fourth 1 where the file has three."""
    if colors.shape[1] == 4:
        return colors
    return frozen(np.concatenate([colors, np.ones((len(colors), 1), np.float32)], axis=1))


def _padded(colors: AnyArray) -> AnyArray:
    """Four channels of offsets, the fourth 0 where the file has three."""
    if colors.shape[1] == 4:
        return colors
    return frozen(np.concatenate([colors, np.zeros((len(colors), 1), np.float32)], axis=1))
