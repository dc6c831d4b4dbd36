"""Guesses written down as layouts: what the file states is read from it, everything else is a constant to turn at."""

from __future__ import annotations

import re
from collections.abc import Mapping
from dataclasses import dataclass, field

import yaml

from pruxel.core.base.arrays import ByteArray
from pruxel.core.binary.conventions import Conventions
from pruxel.core.guessing.meshes import MeshGuess, winding_of
from pruxel.core.guessing.numbers import Number, read_numbers
from pruxel.core.guessing.pictures import PictureGuess
from pruxel.core.knowledge.kinds import ending_of

_LINE = 110
_MARK = re.compile(rb"[A-Za-z0-9_!.-]{4}")


@dataclass
class _Draft:
    """A layout that is being written: its constants, fields and what it yields, in order."""

    constants: dict[str, int | str] = field(default_factory=dict)
    fields: list[dict[str, object]] = field(default_factory=list)
    yields: dict[str, object] = field(default_factory=dict)

    def number(self, name: str, value: int, stated: Number | None) -> None:
        """A number that the file states becomes a field, any other a constant."""
        if stated is None:
            self.constants[name] = value
        else:
            self.fields.append({"name": name, "type": stated.type, "at": str(stated.offset)})

    def block(self, name: str, at: str, size: str) -> None:
        """A block of bytes."""
        self.fields.append({"name": name, "type": "bytes", "at": at, "size": size})


def layout_of_mesh(guess: MeshGuess, data: ByteArray, path: str, usual: Conventions) -> str:
    """The layout of a guessed mesh, as YAML text; its conventions where it is wound another way than is `usual`."""
    draft = _Draft()
    first, corners = guess.streams[0], guess.corners
    head = read_numbers(data, guess.order, min(first.offset, corners.offset))
    counts = (guess.vertices, corners.count, corners.count // 3)
    places = head.before(min(first.offset, corners.offset), *counts)
    triangles = None if corners.kind == "strip" else head.by_value.get(corners.count // 3)
    draft.number("vertex_count", guess.vertices, head.by_value.get(guess.vertices))
    if corners.count in head.by_value or triangles is None:
        draft.number("corner_count", corners.count, head.by_value.get(corners.count))
        many = "corner_count"
    else:
        draft.number("triangle_count", corners.count // 3, triangles)
        many = "triangle_count * 3"
    draft.number("vertices_at", first.offset, places.place(first.offset))
    draft.number("vertex_size", first.stride, places.by_value.get(first.stride))
    draft.number("corners_at", corners.offset, places.place(corners.offset))
    size = "vertex_count * vertex_size"
    if first.offset + guess.vertices * first.stride > len(data):
        size = f"min({size}, file_end - vertices_at)"
    draft.block("vertices", "vertices_at", size)
    elements = _elements(draft, guess)
    wide = corners.width
    draft.constants["corner_type"] = corners.type
    draft.block("corners", "corners_at", f"({many}) * {wide}" if "*" in many else f"{many} * {wide}")
    shape: dict[str, object] = {"data": "corners", "type": "corner_type"}
    if corners.kind == "strip":
        shape |= {"shape": "strip", "restart": "0xFFFF" if wide == 2 else "0xFFFFFFFF"}
    vertices = {"data": "vertices", "stride": "vertex_size", "count": "vertex_count", "elements": elements}
    draft.yields["meshes"] = {"name": "stem(file_name)", "vertices": vertices, "triangles": shape}
    winding = winding_of(data, guess)
    conventions = None
    if winding is not None and winding != usual.winding:
        said = usual.model_copy(update={"winding": winding}).model_dump(mode="json", exclude_defaults=True)
        conventions = said or {"winding": winding}
    return _written(draft, guess.order, data, path, conventions)


def _elements(draft: _Draft, guess: MeshGuess) -> dict[str, object]:
    """The attributes; those outside of the rows of the first become blocks of their own."""
    first, found = guess.streams[0], dict[str, object]()
    for one in guess.streams:
        name = one.attribute
        if name in found:
            continue
        draft.constants[f"{name}_type"] = one.type
        place = one.offset - first.offset
        if 0 <= place < first.stride:
            draft.constants[f"{name}_at"] = place
            found[name] = {"type": f"{name}_type", "offset": f"{name}_at"}
        else:
            draft.constants[f"{name}_at"] = one.offset
            draft.block(f"{name}_data", f"{name}_at", f"vertex_count * {one.stride}")
            found[name] = {"type": f"{name}_type", "data": f"{name}_data", "stride": str(one.stride)}
    return found


def layout_of_picture(guess: PictureGuess, data: ByteArray, path: str) -> str:
    """The layout of a guessed picture, as YAML text."""
    draft = _Draft()
    head = read_numbers(data, "<", guess.offset)
    draft.number("width", guess.width, head.by_value.get(guess.width))
    other = head.before(guess.offset, guess.width) if guess.width == guess.height else head
    draft.number("height", guess.height, other.by_value.get(guess.height))
    draft.constants["texels_at"] = guess.offset
    texture: dict[str, object] = {"name": "stem(file_name)", "width": "width", "height": "height"}
    if guess.compression:
        draft.constants["compression_type"] = guess.compression
        texture |= {"blocks": "texels", "compression": "compression_type"}
        size = f"(width + 3) // 4 * ((height + 3) // 4) * {guess.bytes}"
    else:
        size = f"width * height * {guess.bytes}"
        texture["pixels"] = guess.pixels
    draft.block("texels", "texels_at", size)
    draft.yields["textures"] = texture
    return _written(draft, "<", data, path)


def layout_within(inner: str, codec: str, offset: int, stored: int, size: int, data: ByteArray, path: str) -> str:
    """The layout of something inside compressed bytes: `inner`, whose places count in the unpacked bytes."""
    said = yaml.safe_load(inner)
    fields = said["records"]["file"]
    packed = {"name": "packed", "type": "bytes", "at": "packed_at", "size": "packed_size", "codec": codec}
    said["records"]["file"] = [packed | {"unpacked": "unpacked_size"}, *(one | {"within": "packed"} for one in fields)]
    said["constants"] = {"packed_at": offset, "packed_size": stored, "unpacked_size": size} | said["constants"]
    said["match"] = _match(data, path)
    return _text(said)


def _written(
    draft: _Draft, order: str, data: ByteArray, path: str, conventions: dict[str, object] | None = None
) -> str:
    title = f"Guessed from {_last(path)}"
    said: dict[str, object] = {"layout": _name(path), "title": title, "match": _match(data, path)}
    if order == ">":
        said["endian"] = "big"
    said |= {"constants": draft.constants, "records": {"file": draft.fields}, "yields": draft.yields}
    return _text(said if conventions is None else said | {"conventions": conventions})


def _match(data: ByteArray, path: str) -> Mapping[str, object]:
    """By its first four characters where they are such, else by its ending."""
    mark = data[:4].tobytes()
    ending = ending_of(path)
    if _MARK.fullmatch(mark):
        return {"magic": mark.decode()}
    return {"extensions": [f".{ending}"]} if ending else {"paths": [path]}


def _name(path: str) -> str:
    return "guessed_" + re.sub(r"[^a-z0-9_]+", "_", ending_of(path) or "file")[:40]


def _last(path: str) -> str:
    return path.rsplit("/", 1)[-1]


class _Dumper(yaml.SafeDumper):
    """Fields of records and attributes stand in one line each."""


def _mapping(dumper: yaml.SafeDumper, value: dict[str, object]) -> yaml.Node:
    flat = all(not isinstance(one, dict | list) for one in value.values()) and len(str(value)) < _LINE
    return dumper.represent_mapping("tag:yaml.org,2002:map", value.items(), flow_style=flat)


_Dumper.add_representer(dict, _mapping)


def _text(said: object) -> str:
    return yaml.dump(said, Dumper=_Dumper, sort_keys=False, width=160, allow_unicode=True)
