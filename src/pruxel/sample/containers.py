"""The bytes of Brinepost's other pack formats and of its levels, written with plain struct and NumPy."""

from __future__ import annotations

import struct
import zlib

import lz4.block
import numpy as np
import zstandard
from cryptography.hazmat.primitives.ciphers import Cipher, algorithms, modes

BLOCK = 64 << 10
VAULT_KEY = bytes.fromhex("5b1e0c92a7d34f68b06d71c4e82f9a13")
WRONG_KEY = bytes.fromhex("00112233445566778899aabbccddeeff")


def old_pack_bytes(entries: dict[str, bytes]) -> bytes:
    """A `.brp` pack of version 1: everything deflated, the table first, no checksums, names of 64 bytes in it."""
    table, body = b"", b""
    start = 16 + 80 * len(entries)
    for path, data in sorted(entries.items()):
        packed = zlib.compress(data, 9, -15)
        table += struct.pack("<64sIII4x", path.encode(), start + len(body), len(packed), len(data))
        body += packed
    return struct.pack("<4sHHII", b"BRPK", 1, 0, len(entries), 0) + table + body


def _sealed(data: bytes, iv: bytes) -> bytes:
    worker = Cipher(algorithms.AES(VAULT_KEY), modes.CTR(iv)).encryptor()
    return worker.update(data) + worker.finalize()


def vault_bytes(entries: dict[str, bytes]) -> bytes:
    """A `.brv` pack: table and entries under AES-128 in CTR mode, each with its own first counter."""
    table, body = b"", bytearray()
    for number, (path, data) in enumerate(sorted(entries.items())):
        iv = struct.pack("<QQ", number + 1, zlib.crc32(path.encode()))
        packed = zstandard.ZstdCompressor(level=9).compress(data)
        name = path.encode()
        table += struct.pack("<B", len(name)) + name
        table += struct.pack("<16sQIII", iv, 48 + len(body), len(packed), len(data), zlib.crc32(data))
        body += _sealed(packed, iv)
    table = b"TABL" + table
    iv = struct.pack("<QQ", 0, 0x5EA)
    head = struct.pack("<4sHHIIQ16s8x", b"BRVT", 1, 0, len(entries), len(table), 48 + len(body), iv)
    return head + bytes(body) + _sealed(table, iv)


def fnv1a_64(text: bytes) -> int:
    """The hash of paths in a `.brh` pack (FNV-1a by its authors' note)."""
    value = 0xCBF29CE484222325
    for byte in text.lower():
        value = (value ^ byte) * 0x100000001B3 & 0xFFFFFFFFFFFFFFFF
    return value


def hashed_bytes(entries: dict[str, bytes]) -> bytes:
    """A `.brh` pack: sorted hashes of paths instead of names, LZ4 or stored."""
    table, body = b"", bytearray()
    start = 16 + 32 * len(entries)
    for code, data in sorted((fnv1a_64(path.encode()), data) for path, data in entries.items()):
        packed = bytes(lz4.block.compress(data, store_size=False))
        codec = int(len(packed) < len(data))
        packed = packed if codec else data
        table += struct.pack("<QQIIB7x", code, start + len(body), len(packed), len(data), codec)
        body += packed
    return struct.pack("<4sHHI4x", b"BRHX", 1, 0, len(entries)) + table + bytes(body)


def volume_bytes(entries: dict[str, bytes], volumes: int) -> list[bytes]:
    """A `.brl` pack over several files: the first with the table, the others with blocks of 64 KB, each compressed."""
    table, names, blocks = b"", b"", list[int]()
    bodies = [bytearray(b"BVOL" + bytes(12)) for _ in range(volumes)]
    for number, (path, data) in enumerate(sorted(entries.items())):
        volume = 1 + number % volumes
        body = bodies[volume - 1]
        offset, first = len(body), len(blocks)
        for at in range(0, len(data), BLOCK):
            piece = data[at : at + BLOCK]
            packed = zstandard.ZstdCompressor(level=9).compress(piece)
            packed = packed if len(packed) < len(piece) else piece
            blocks.append(len(packed))
            body += packed
        stored = len(body) - offset
        table += struct.pack("<IHHQQQII", len(names), volume, 0, offset, len(data), stored, first, zlib.crc32(data))
        names += path.encode() + b"\0"
    sizes = np.array(blocks, "<u4").tobytes()
    head = struct.pack("<4sHHIIII8x", b"BRLV", 1, volumes, len(entries), len(names), len(blocks), BLOCK)
    return [head + table + names + sizes, *(bytes(b) for b in bodies)]


def level_bytes(models: list[str], placed: list[tuple[int, float, float, float, float, float]]) -> bytes:
    """A `.blv` level: model paths, then placements (model, x, y, z in centimetres with Z up, turn, scale)."""
    out = struct.pack("<4sHHI", b"BLVL", 1, len(models), len(placed))
    for path in models:
        out += struct.pack("<B", len(path.encode())) + path.encode()
    out += b"\0" * (-len(out) % 4)
    return out + b"".join(struct.pack("<HHfffff", model, 0, *place) for model, *place in placed)


def bulk_bytes(count: int) -> bytes:
    """A `.brp` pack of many entries that share a handful of contents, for load work."""
    shared = [f"Bulk text {n}. ".encode() * (8 + n) for n in range(64)]
    offsets = 32 + np.cumsum([0, *(len(s) for s in shared[:-1])])
    kinds = np.array([("dds", 45), ("brm", 25), ("bmt", 15), ("txt", 10), ("bin", 5)], dtype=[("e", "U3"), ("n", int)])
    rng = np.random.default_rng(7)
    ending = np.repeat(kinds["e"], kinds["n"])[rng.integers(0, 100, count)]
    words = np.array(
        ["reef", "kelp", "coral", "crab", "diver", "mail", "toll", "lamp", "anchor", "market", "bell", "rope"]
    )
    first, second = words[rng.integers(0, len(words), count)], words[rng.integers(0, len(words), count)]
    group = rng.integers(0, max(count // 250, 1), count)
    names = [
        f"bulk/{a}/g{g:05d}/{a}_{b}_{i:07d}.{e}"
        for i, (a, b, g, e) in enumerate(
            zip(first.tolist(), second.tolist(), group.tolist(), ending.tolist(), strict=True)
        )
    ]
    block = "\0".join(names).encode() + b"\0"
    lengths = np.fromiter(map(len, names), np.int64, count) + 1
    which = rng.integers(0, len(shared), count)
    sizes = np.array([len(s) for s in shared])
    row = np.dtype(
        {
            "names": ["name", "codec", "offset", "stored", "size", "crc"],
            "formats": ["<u4", "u1", "<u8", "<u4", "<u4", "<u4"],
            "offsets": [0, 4, 8, 16, 20, 24],
            "itemsize": 28,
        }
    )
    table = np.zeros(count, row)
    table["name"] = np.concatenate([[0], np.cumsum(lengths[:-1])]) if count else 0
    table["offset"], table["stored"] = offsets[which], sizes[which]
    table["size"], table["crc"] = sizes[which], np.array([zlib.crc32(s) for s in shared])[which]
    body = b"".join(shared)
    head = struct.pack("<4sHHIIQ8x", b"BRPK", 2, 1, count, len(block), 32 + len(body))
    return head + body + table.tobytes() + block
