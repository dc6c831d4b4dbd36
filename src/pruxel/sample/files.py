"""The bytes of Brinepost's own formats, written with plain struct and NumPy.

Files count in centimetres, Z up, clockwise triangles, UV origin at the bottom left; the layouts beside this module
describe the same bytes, and neither is made from the other.
"""

from __future__ import annotations

import struct
import zlib
from dataclasses import dataclass

import lz4.block
import numpy as np
import zstandard

from pruxel.core.base.arrays import AnyArray
from pruxel.sample.bake import Ready
from pruxel.sample.model import Model, Surface
from pruxel.sample.rig import Rig

_STORED, _ZSTD, _LZ4, _DEFLATE = 0, 1, 2, 3
_POSITION, _NORMAL, _UV, _JOINTS, _WEIGHTS = 0, 1, 2, 3, 4
_F32X3, _SNORM8X4, _F16X2, _UNORM16X4, _UNORM16X2, _U8X4, _UNORM8X4 = 0, 1, 2, 3, 4, 5, 6


def _to_file(points: AnyArray, unit: float) -> AnyArray:
    """Our metres, Y up → the game's units, Z up."""
    return np.stack([points[:, 0], -points[:, 2], points[:, 1]], axis=1) * unit


def _snorm8(normals: AnyArray) -> AnyArray:
    four = np.concatenate([normals, np.zeros((len(normals), 1))], axis=1)
    return np.round(np.clip(four, -1, 1) * 127).astype("<i1")


@dataclass(frozen=True)
class _Vertices:
    data: bytes
    stride: int
    elements: tuple[tuple[int, int, int], ...]
    scale: tuple[float, float, float]
    bias: tuple[float, float, float]


def _plain_vertices(positions: AnyArray, normals: AnyArray, uvs: AnyArray) -> _Vertices:
    rows = np.zeros(len(positions), [("p", "<f4", 3), ("n", "i1", 4), ("t", "<f2", 2)])
    rows["p"], rows["n"], rows["t"] = positions, _snorm8(normals), uvs
    elements = ((_POSITION, _F32X3, 0), (_NORMAL, _SNORM8X4, 12), (_UV, _F16X2, 16))
    return _Vertices(rows.tobytes(), 20, elements, (1.0, 1.0, 1.0), (0.0, 0.0, 0.0))


def _quantised_vertices(positions: AnyArray, normals: AnyArray, uvs: AnyArray) -> _Vertices:
    low, size = positions.min(axis=0), np.maximum(np.ptp(positions, axis=0), 1e-6)
    rows = np.zeros(len(positions), [("p", "<u2", 4), ("n", "i1", 4), ("t", "<u2", 2)])
    rows["p"][:, :3] = np.round((positions - low) / size * 65535)
    rows["n"], rows["t"] = _snorm8(normals), np.round(np.clip(uvs, 0, 1) * 65535)
    elements = ((_POSITION, _UNORM16X4, 0), (_NORMAL, _SNORM8X4, 8), (_UV, _UNORM16X2, 12))
    return _Vertices(rows.tobytes(), 16, elements, tuple(size), tuple(low))


def _weighted(plain: _Vertices, rig: Rig, item: Ready) -> _Vertices:
    """Joint numbers and weights at the end of every vertex."""
    rows = np.frombuffer(plain.data, np.uint8).reshape(-1, plain.stride)
    data = np.concatenate([rows, *rig.weights(item.part.name, item.positions)], axis=1).tobytes()
    more = ((_JOINTS, _U8X4, plain.stride), (_WEIGHTS, _UNORM8X4, plain.stride + 4))
    return _Vertices(data, plain.stride + 8, (*plain.elements, *more), plain.scale, plain.bias)


def model_bytes(model: Model, ready: list[Ready], material_paths: dict[str, str]) -> bytes:
    """A `.brm` file of version 3: header, part table, then names, element tables and packed buffers."""
    unit = 100.0 * model.oversize
    materials = list(dict.fromkeys(material_paths[r.part.material] for r in ready))
    header_size, part_size = 36, 100
    body = bytearray()
    start = header_size + part_size * len(ready)

    def put(data: bytes) -> int:
        body.extend(b"\0" * (-len(body) % 4))
        body.extend(data)
        return start + len(body) - len(data)

    materials_at = put(b"".join(struct.pack("<H", len(m.encode())) + m.encode() for m in materials))
    records = []
    for item in ready:
        positions = _to_file(item.positions, unit)
        normals = _to_file(item.normals, 1.0)
        uvs = np.stack([item.uvs[:, 0], 1 - item.uvs[:, 1]], axis=1)
        pivot = np.zeros(3)
        if item.part.name in {"bell", "brass_lid", "propeller"}:
            pivot = positions.mean(axis=0)
            positions = positions - pivot
        faces = item.faces if item.part.inward else item.faces[:, ::-1]
        if item.part.inward:
            normals = -normals
        layout = (_quantised_vertices if model.quantised else _plain_vertices)(positions, normals, uvs)
        if model.rig is not None:
            layout = _weighted(layout, model.rig, item)
        wide = len(positions) > 65535
        indices = faces.astype("<u4" if wide else "<u2").tobytes()
        packed = lz4.block.compress(layout.data, store_size=False)
        name_at = put(item.part.name.encode() + b"\0")
        elements_at = put(b"".join(struct.pack("<BBH", *e) for e in layout.elements))
        vertices_at, indices_at = put(packed), put(indices)
        flags = int(item.part.collision) | (item.part.detail << 4)
        records.append(
            struct.pack(
                "<IHHiIIIIIIIBBH3f3f3f4x8x8x",
                name_at, materials.index(material_paths[item.part.material]), flags, -1,
                len(positions), len(item.faces) * 3, vertices_at, len(packed), indices_at, len(indices),
                elements_at, layout.stride, 4 if wide else 2, len(layout.elements),
                *layout.scale, *layout.bias, *pivot,
            )
        )  # fmt: skip
    every = np.concatenate([_to_file(r.positions, unit) for r in ready])
    tail = struct.pack("<I", materials_at)
    if model.rig is not None:
        path = f"{model.rig.path}.bsk".encode()
        tail = struct.pack("<I", put(struct.pack("<H", len(path)) + path)) + tail
    flags = int(model.rig is not None)
    head = struct.pack(
        "<4sHHHH6f", b"BMDL", 3, flags, len(ready), len(materials), *every.min(axis=0), *every.max(axis=0)
    )
    assert len(records[0]) == part_size, len(records[0])
    return head[:header_size] + b"".join(records) + bytes(body) + tail


_SLOTS = {"base": 0, "normal": 1, "packed": 2, "glow": 3, "later": 4, "dye": 5}


def material_bytes(surface: Surface, textures: dict[str, str]) -> bytes:
    """A `.bmt` file: name, flags, colours, then texture paths by slot."""
    alpha = {"OPAQUE": 0, "MASK": 1, "BLEND": 2}[surface.alpha]
    glow = "glow" in textures
    out = struct.pack("<4sHH", b"BMTL", 1, alpha | (int(surface.double_sided) << 2) | (int(surface.later) << 3))
    name = surface.name.encode()
    out += struct.pack("<B", len(name)) + name
    out += struct.pack("<4B3f", 255, 255, 255, 255, *((1.0, 1.0, 1.0) if glow else (0.0, 0.0, 0.0)))
    out += struct.pack("<f", 0.5)
    out += struct.pack("<B", len(textures))
    for slot, path in textures.items():
        text = path.encode("utf-16-le")
        out += struct.pack("<BH", _SLOTS[slot], len(text)) + text
    return out


def _compressed(codec: int, data: bytes) -> bytes:
    if codec == _ZSTD:
        return zstandard.ZstdCompressor(level=9).compress(data)
    if codec == _LZ4:
        return bytes(lz4.block.compress(data, store_size=False))
    return zlib.compress(data, 9, -15) if codec == _DEFLATE else data


def pack_bytes(entries: dict[str, bytes]) -> bytes:
    """A `.brp` pack: header, entries each compressed as suits it, then the table and the block of names."""
    blobs, table, names = bytearray(), [], bytearray()
    for number, (path, data) in enumerate(sorted(entries.items())):
        codec = (_ZSTD, _LZ4, _DEFLATE)[number % 3] if len(data) > 512 else _STORED
        packed = _compressed(codec, data)
        blobs.extend(b"\0" * (-(32 + len(blobs)) % 16))
        offset = 32 + len(blobs)
        blobs.extend(packed)
        table.append(struct.pack("<IBxxxQIII", len(names), codec, offset, len(packed), len(data), zlib.crc32(data)))
        names.extend(path.encode() + b"\0")
    blobs.extend(b"\0" * (-(32 + len(blobs)) % 16))
    head = struct.pack("<4sHHIIQ8x", b"BRPK", 2, 1, len(table), len(names), 32 + len(blobs))
    return head + bytes(blobs) + b"".join(table) + bytes(names)


def obj_bytes(stem: str, ready: list[Ready]) -> tuple[bytes, bytes]:
    """A loose OBJ with its MTL, as an artist's tool would leave it."""
    lines, start = [f"mtllib {stem}.mtl"], 1
    for item in ready:
        lines.append(f"o {item.part.name}")
        lines += [f"v {x:.6f} {y:.6f} {z:.6f}" for x, y, z in item.positions]
        lines += [f"vt {u:.6f} {1 - v:.6f}" for u, v in item.uvs]
        lines += [f"vn {x:.4f} {y:.4f} {z:.4f}" for x, y, z in item.normals]
        lines.append(f"usemtl {item.part.material}")
        lines += ["f " + " ".join(f"{k}/{k}/{k}" for k in face) for face in item.faces + start]
        start += len(item.positions)
    mtl = f"newmtl {ready[0].part.material}\nKd 1 1 1\nPr 0.8\nPm 0\nmap_Kd {stem}.tga\n"
    return ("\n".join(lines) + "\n").encode(), mtl.encode()


def tga_bytes(image: AnyArray) -> bytes:
    """An uncompressed TGA of 24 bits, bottom row first."""
    height, width = image.shape[:2]
    head = struct.pack("<BBBHHBHHHHBB", 0, 0, 2, 0, 0, 0, 0, 0, width, height, 24, 0)
    return head + np.ascontiguousarray(image[::-1, :, 2::-1]).tobytes()
