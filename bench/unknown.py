"""Files of formats that nobody described, with what is in them: shapes in varied encodings among bytes that mislead.

Every file is made from a seed by plain code. `cases` gives the labelled set on which guessing is measured.
"""

from __future__ import annotations

import struct
import zlib
from collections.abc import Iterator
from dataclasses import dataclass

import numpy as np

from pruxel.core.base.arrays import AnyArray, DoubleArray
from pruxel.core.base.context import Context
from pruxel.core.guessing.meshes import MeshGuess, guess_meshes

_TYPES = ("f32", "f16", "i16", "snorm16", "unorm16")


@dataclass(frozen=True)
class Label:
    """Where the positions and the corners of a mesh stand in `data`, and as what."""

    name: str
    data: bytes
    order: str
    position: tuple[str, int, int]  # type of a component, first byte, stride
    vertices: int
    corners: tuple[str, int, int, str]  # type, first byte, how many, list or strip


@dataclass(frozen=True, eq=False)
class Shape:
    """A surface: `positions` and `normals` (n, 3), `uvs` (n, 2), `triangles` (t, 3), `strip` of the same."""

    positions: DoubleArray
    normals: DoubleArray
    uvs: DoubleArray
    triangles: AnyArray
    strip: AnyArray


def _net(width: int, height: int) -> tuple[AnyArray, AnyArray]:
    """Triangles and one strip (rows joined by triangles of no area) of a net of points."""
    corner = np.arange((width - 1) * (height - 1))
    first = corner // (width - 1) * width + corner % (width - 1)
    quads = np.stack([first, first + width, first + 1, first + 1, first + width, first + width + 1], axis=1)
    strips: list[AnyArray] = []
    for row in range(height - 1):
        line = np.stack([np.arange(width) + row * width, np.arange(width) + (row + 1) * width], axis=1).reshape(-1)
        strips.append(line if not strips else np.concatenate([[strips[-1][-1], line[0]], line]))
    return quads.reshape(-1, 3), np.concatenate(strips)


def shape(kind: str, rng: np.random.Generator) -> Shape:
    """A ball, ring, hill or pipe, bent and stretched by chance."""
    width, height = int(rng.integers(9, 40)), int(rng.integers(9, 32))
    u, v = (one.reshape(-1) for one in np.meshgrid(np.linspace(0, 1, width), np.linspace(0, 1, height)))
    around, up = 2 * np.pi * u, np.pi * (v - 0.5)
    if kind == "ball":
        flat = np.stack([np.cos(up) * np.cos(around), np.sin(up), np.cos(up) * np.sin(around)], axis=1)
    elif kind == "ring":
        wide = 1 + 0.35 * np.cos(2 * np.pi * v)
        flat = np.stack([wide * np.cos(around), 0.35 * np.sin(2 * np.pi * v), wide * np.sin(around)], axis=1)
    elif kind == "hill":
        flat = np.stack([u * 2 - 1, 0.3 * np.sin(5 * u + 1) * np.cos(4 * v), v * 2 - 1], axis=1)
    else:
        flat = np.stack([0.4 * np.cos(around), v * 2 - 1 + 0.1 * np.sin(around), 0.4 * np.sin(around)], axis=1)
    flat = flat * (1 + 0.15 * np.sin(3 * flat[:, [1, 2, 0]] + rng.random(3) * 6)) * rng.uniform(0.3, 3, 3)
    triangles, strip = _net(width, height)
    crossed = np.cross(flat[triangles[:, 1]] - flat[triangles[:, 0]], flat[triangles[:, 2]] - flat[triangles[:, 0]])
    normals = np.zeros_like(flat)
    for corner in range(3):
        np.add.at(normals, triangles[:, corner], crossed)
    normals /= np.maximum(np.linalg.norm(normals, axis=1, keepdims=True), 1e-12)
    return Shape(flat * 10 ** rng.uniform(-1, 2.5), normals, np.stack([u, v], axis=1), triangles, strip)


def _shuffled(one: Shape, rng: np.random.Generator, how: str) -> Shape:
    """The vertices, or the triangles, in another order, as exporters leave them."""
    if how == "triangles":
        return Shape(one.positions, one.normals, one.uvs, one.triangles[rng.permutation(len(one.triangles))], one.strip)
    new_from_old = rng.permutation(len(one.positions))
    old_from_new = np.argsort(new_from_old)
    return Shape(
        one.positions[old_from_new], one.normals[old_from_new], one.uvs[old_from_new], new_from_old[one.triangles],
        new_from_old[one.strip],
    )  # fmt: skip


def _packed(values: AnyArray, scalar: str, order: str) -> bytes:
    """Numbers as one of the component types; whole ones use all of their range."""
    if scalar in ("f32", "f16"):
        return values.astype(f"{order}f{int(scalar[1:]) // 8}").tobytes()
    if scalar == "u8":
        return values.astype("u1").tobytes()
    unit = values / max(np.abs(values).max(), 1e-9) if scalar != "unorm16" else values
    if scalar == "unorm16":
        low, high = values.min(axis=0), values.max(axis=0)
        return np.rint((unit - low) / np.maximum(high - low, 1e-9) * 65535).astype(f"{order}u2").tobytes()
    return np.rint(unit * 32767).astype(f"{order}i2").tobytes()


def _columns(one: Shape, scalar: str, order: str, rng: np.random.Generator) -> list[bytes]:
    """The attributes of the vertices, each as rows of bytes: positions first, then some of the others."""
    count = len(one.positions)
    wide = 3 if scalar == "f32" else 4
    place = np.zeros((count, wide))
    place[:, :3] = one.positions
    if scalar == "f16":
        place[:, :3] /= max(np.abs(one.positions).max() / 100, 1)
    if wide == 4:
        place[:, 3] = 0 if rng.random() < 0.5 else place[:, :3].max()
    columns = [_packed(place, scalar, order)]
    if rng.random() < 0.8:
        narrow = rng.random() < 0.4
        signed = np.rint(np.pad(one.normals, ((0, 0), (0, 1))) * 127).astype("i1").tobytes()
        columns.append(signed if narrow else _packed(one.normals, "f32", order))
    if rng.random() < 0.3:
        tint = np.full((count, 4), 255)
        tint[:, :3] = 128 + 90 * np.sin(one.positions / np.abs(one.positions).max() * 3)
        columns.append(_packed(tint, "u8", order))
    if rng.random() < 0.85:
        columns.append(_packed(one.uvs, "f32" if rng.random() < 0.6 else "f16", order))
    if rng.random() < 0.35:
        joints = np.stack([rng.integers(0, 20, count), rng.integers(0, 20, count)] + [np.zeros(count)] * 2, axis=1)
        first = rng.integers(128, 256, count)
        pulls = np.stack([first, 255 - first, np.zeros(count), np.zeros(count)], axis=1)
        columns += [_packed(joints, "u8", order), _packed(pulls, "u8", order)]
    return columns


def _rows(columns: list[bytes], count: int, rng: np.random.Generator) -> tuple[bytes, int]:
    """All attributes of a vertex beside each other, sometimes with bytes between that mean nothing; and the stride."""
    cut = [np.frombuffer(one, np.uint8).reshape(count, -1) for one in columns]
    if rng.random() < 0.25:
        cut.append(np.full((count, int(rng.choice([4, 8]))), rng.integers(0, 255), np.uint8))
    rows = np.concatenate(cut, axis=1)
    return rows.tobytes(), rows.shape[1]


def _noise(rng: np.random.Generator, order: str) -> bytes:
    """Bytes that look like something else: a texture's, names, floats, small numbers, offsets, or unpacked noise."""
    size = int(rng.integers(64, 3000)) // 16 * 16
    match int(rng.integers(6)):
        case 0:
            return rng.integers(0, 256, size, np.uint8).tobytes()
        case 1:
            return b"\0".join(b"textures/part_%03d.tex" % n for n in range(size // 24)).ljust(size, b"\0")
        case 2:
            return np.tile(np.eye(4), (size // 64 + 1, 1)).astype(f"{order}f4").tobytes()
        case 3:
            return rng.integers(0, 300, size // 2).astype(f"{order}u2").tobytes()
        case 4:
            return np.cumsum(rng.integers(8, 900, size // 4)).astype(f"{order}u4").tobytes()
    wave = 128 + 100 * np.sin(np.arange(size) / 40)
    return zlib.compress(wave.astype(np.uint8).tobytes() + rng.integers(0, 9, 400, np.uint8).tobytes())


def _made(number: int) -> Label:
    """One file: the choices that formats make differently go round, the rest falls by chance."""
    rng = np.random.default_rng(1000 + number)
    order = "<" if number % 5 else ">"
    scalar = _TYPES[(0, 0, 2, 0, 1, 0, 3, 0, 4)[number % 9]]
    one = shape(("ball", "ring", "hill", "pipe")[number % 4], rng)
    shuffle = ("", "", "vertices", "triangles", "")[(number // 2) % 5]
    strip = number % 7 == 3
    if shuffle and not (strip and shuffle == "triangles"):
        one = _shuffled(one, rng, shuffle)
    index = "u32" if number % 4 == 1 else "u16"
    corners = one.strip if strip else one.triangles.reshape(-1)
    corner_bytes = corners.astype(f"{order}u{int(index[1:]) // 8}").tobytes()
    count = len(one.positions)
    columns = _columns(one, scalar, order, rng)
    apart = number % 3 == 2
    stride = len(columns[0]) // count
    blocks = [(f"part {n}", data) for n, data in enumerate(columns)]
    if not apart:
        rows, stride = _rows(columns, count, rng)
        blocks = [("part 0", rows)]
    if rng.random() < 0.3:
        blocks.insert(0, ("corners", corner_bytes))
    else:
        blocks.append(("corners", corner_bytes))
    return _laid_out(number, order, blocks, (scalar, stride, count), (index, len(corners), strip), rng)


def _laid_out(
    number: int,
    order: str,
    blocks: list[tuple[str, bytes]],
    vertex: tuple[str, int, int],
    corner: tuple[str, int, bool],
    rng: np.random.Generator,
) -> Label:
    """Blocks behind a head that says much, little or nothing of them, among bytes that mislead."""
    scalar, stride, count = vertex
    index, many, strip = corner
    says = ("all", "counts", "all", "nothing")[number % 4 if number % 8 < 4 else int(rng.integers(4))]
    step = int(rng.choice([1, 4, 16]))
    head = 16 + 4 * (len(blocks) + 3) if says == "all" else 24 if says == "counts" else int(rng.choice([0, 8, 12]))
    body = b"" if rng.random() < 0.5 else _noise(rng, order)
    places: dict[str, int] = {}
    for name, data in blocks:
        body += b"\0" * (-(head + len(body)) % step)
        places[name] = head + len(body)
        body += data
        if rng.random() < 0.35:
            body += _noise(rng, order)
    numbers: list[int] = []
    if says in ("all", "counts"):
        numbers = [count, many if strip or number % 2 else many // 3]
    if says == "all":
        numbers += [stride, *(places[name] for name, _ in blocks)]
    mark = bytes(rng.integers(65, 91, 4).tolist())
    first = (mark + struct.pack(f"{order}I", 1 + number % 3) if head >= 8 else b"") + struct.pack(
        f"{order}{len(numbers)}I", *numbers
    )
    data = first.ljust(head, b"\0")[:head] + body
    kind = "strip" if strip else "list"
    name = f"{number:02d} {scalar} {index} {kind} {'big' if order == '>' else 'little'} says {says}"
    return Label(name, data, order, (scalar, places["part 0"], stride), count, (index, places["corners"], many, kind))


def cases(count: int = 72) -> Iterator[Label]:
    """The labelled set."""
    return (_made(number) for number in range(count))


def found_in(label: Label, guesses: list[MeshGuess]) -> int:
    """The place of the first guess that has positions and corners right to the byte, from 0; -1 for none."""
    scalar, first, stride = label.position
    stored = {"i16": "snorm16", "snorm16": "snorm16", "unorm16": "unorm16"}.get(scalar, scalar)
    wanted = (label.order, f"{stored}x3", first, stride, *label.corners)
    for number, one in enumerate(guesses):
        place, run = one.streams[0], one.corners
        said = (one.order, place.type, place.offset, place.stride, run.type, run.offset, run.count, run.kind)
        if said == wanted:
            return number
    return -1


def run() -> None:
    """How many of the labelled set are right, first and among the first three: files that guessing was not made on."""
    first = three = 0
    labels = [_made(number) for number in (*range(1300, 1372), *range(1400, 1472))]
    for label in labels:
        place = found_in(label, guess_meshes(np.frombuffer(label.data, np.uint8), Context()))
        first += place == 0
        three += 0 <= place < 3
    for words, right, goal in (("first", first, 0.8), ("among the first three", three, 0.95)):
        share = right / len(labels)
        mark = "reached" if share >= goal else "MISSED"
        print(
            f"guesses right, {words:43} {share:8.3f}   goal {goal:<6g} {mark:8} ({right} of {len(labels)})", flush=True
        )
