"""Reading entries out of a pack against the codec libraries on the same bytes, both cores at work."""

from __future__ import annotations

import struct
import tempfile
import zlib
from collections import deque
from collections.abc import Callable
from mmap import mmap
from pathlib import Path

import imagecodecs
import lz4.block
import numpy as np
import zstandard

from bench.timing import by_turns, line
from pruxel.core.base.context import Context
from pruxel.core.binary.load import load_layout
from pruxel.core.disk.files import map_file
from pruxel.core.native.threads import made_ahead
from pruxel.core.sources.origin import origin_of_file
from pruxel.core.sources.packs import PackSource

LAYOUT = Path(__file__).resolve().parent.parent / "src/pruxel/sample/data/layouts/pack.yaml"
SIZE, COUNT = 1 << 20, 96
_CODECS = {0: "stored", 1: "zstd", 2: "lz4", 3: "deflate"}


def _packed(codec: int, data: bytes) -> bytes:
    if codec == 1:
        return zstandard.ZstdCompressor(level=6).compress(data)
    if codec == 2:
        return bytes(lz4.block.compress(data, store_size=False))
    return zlib.compress(data, 6, -15) if codec == 3 else data


def pack(codec: int) -> tuple[bytes, list[slice]]:
    """A pack of equal entries, and where their packed bytes lie."""
    rng = np.random.default_rng(5)
    waves = (np.sin(np.arange(SIZE // 2) / 9) * 9000 + rng.integers(-60, 60, SIZE // 2)).astype("<i2").tobytes()
    piece = _packed(codec, waves)
    names = b"".join(b"a/%04d.bin\0" % n for n in range(COUNT))
    offsets = [32 + n * len(piece) for n in range(COUNT)]
    table = b"".join(
        struct.pack("<IBxxxQIII", n * 11, codec, offset, len(piece), SIZE, zlib.crc32(waves))
        for n, offset in enumerate(offsets)
    )
    head = struct.pack("<4sHHIIQ8x", b"BRPK", 2, 1, COUNT, len(names), 32 + COUNT * len(piece))
    return head + piece * COUNT + table + names, [slice(o, o + len(piece)) for o in offsets]


def copied(data: memoryview) -> object:
    """A view of the pack is copied out, as the other side does; unpacked bytes are there already."""
    return bytes(data) if data.readonly and isinstance(data.obj, mmap) else data


_LIBRARY: dict[int, Callable[[memoryview], object]] = {
    0: bytes,
    1: lambda data: zstandard.ZstdDecompressor().decompress(data, max_output_size=SIZE),
    2: lambda data: lz4.block.decompress(data, uncompressed_size=SIZE),
    3: lambda data: imagecodecs.deflate_decode(data, raw=True, out=SIZE),
}


def run() -> None:
    """One line a codec, against the call of its library; a stored entry is a view, so that both sides copy it."""
    layout = load_layout(LAYOUT.read_text(), "pack.yaml")
    with tempfile.TemporaryDirectory() as scratch:
        for codec, name in _CODECS.items():
            data, places = pack(codec)
            path = Path(scratch) / f"{name}.brp"
            path.write_bytes(data)
            source = PackSource(origin_of_file(path), layout)
            paths = [entry.path for entry in source.listing(Context()).entries]

            def ours(source: PackSource = source, paths: list[str] = paths) -> None:
                deque(made_ahead(paths, lambda p: copied(source.read(p, Context()))), maxlen=0)

            mapped = map_file(path)

            def theirs(places: list[slice] = places, codec: int = codec, mapped: memoryview = mapped) -> None:
                deque(made_ahead(places, lambda p: _LIBRARY[codec](mapped[p])), maxlen=0)

            line(f"the library's own rate of {name} : reading entries", *by_turns(ours, theirs), 1.25)


if __name__ == "__main__":
    run()
