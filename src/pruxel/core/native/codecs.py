"""Compression codecs by the names that layouts use. Output is bounded by the size that the table promises."""

from __future__ import annotations

import lzma
import zlib
from collections.abc import Callable
from typing import Any

import brotli
import lz4.block
import lz4.frame
import zstandard
from isal import isal_zlib

from pruxel.core.base.errors import ErrorCode, InputError

Inflate = Callable[[memoryview, int], bytes]


def _stored(data: memoryview, _size: int) -> bytes:
    return bytes(data)


def _zlib(data: memoryview, size: int) -> bytes:
    return isal_zlib.decompressobj().decompress(data, size + 1)


def _deflate(data: memoryview, size: int) -> bytes:
    return isal_zlib.decompressobj(wbits=-15).decompress(data, size + 1)


def _zstd(data: memoryview, size: int) -> bytes:
    with zstandard.ZstdDecompressor().stream_reader(data) as reader:
        return reader.read(size + 1)


def _lz4(data: memoryview, size: int) -> bytes:
    return lz4.block.decompress(data, uncompressed_size=size)


def _lz4_frame(data: memoryview, size: int) -> bytes:
    return lz4.frame.LZ4FrameDecompressor().decompress(data, max_length=size + 1)


def _lzma(data: memoryview, size: int) -> bytes:
    return lzma.LZMADecompressor(lzma.FORMAT_AUTO, memlimit=1 << 28).decompress(data, size + 1)


def _brotli(data: memoryview, size: int) -> bytes:
    reader, out = brotli.Decompressor(), bytearray()
    for at in range(0, len(data), 1 << 16):
        out += reader.process(bytes(data[at : at + (1 << 16)]))
        if len(out) > size:
            break
    return bytes(out)


_INFLATE: dict[str, Inflate] = {
    "stored": _stored,
    "zlib": _zlib,
    "deflate": _deflate,
    "zstd": _zstd,
    "lz4": _lz4,
    "lz4_frame": _lz4_frame,
    "lzma": _lzma,
    "brotli": _brotli,
}

_FAILURES: tuple[Any, ...] = (
    zlib.error,
    isal_zlib.error,
    zstandard.ZstdError,
    lz4.block.LZ4BlockError,
    lzma.LZMAError,
    brotli.error,
    RuntimeError,
    EOFError,
)

CODECS = tuple(_INFLATE)


def crc32(data: memoryview | bytes) -> int:
    """The CRC-32 of ISO 3309, several times quicker than the standard library's."""
    return int(isal_zlib.crc32(data))


def decompress(codec: str, data: memoryview, size: int, name: str, offset: int = 0) -> bytes:
    """Decompress to exactly `size` bytes.

    `name` and `offset` (of the packed bytes in that file) only serve the error. Raises `InputError` when the codec
    is unknown, the data is damaged, or the size differs from the promise.
    """
    inflate = _INFLATE.get(codec)
    if inflate is None:
        raise InputError(
            ErrorCode.CODEC,
            "the compression is not one that can be undone",
            file=name,
            offset=offset,
            expected=f"one of {', '.join(CODECS)}",
            found=repr(codec),
            hint="The layout's codec list may lack this number.",
        )
    try:
        out = inflate(data, size)
    except _FAILURES as error:
        raise InputError(
            ErrorCode.CODEC,
            f"the {codec} data is damaged ({error})",
            file=name,
            offset=offset,
            expected=f"{size:,} bytes of unpacked data",
            hint="Check the file's size against the original; the copy may be incomplete.",
        ) from error
    if len(out) != size:
        found = f"more than {size:,}" if len(out) > size else f"{len(out):,}"
        raise InputError(
            ErrorCode.CODEC,
            f"the {codec} data unpacks to another size than the table says",
            file=name,
            offset=offset,
            expected=f"{size:,} bytes",
            found=f"{found} bytes",
        )
    return out


def decompress_head(codec: str, data: memoryview, size: int, count: int) -> bytes:
    """The first bytes of the unpacked data, as far as cheaply had; empty when they cannot be had."""
    if codec == "stored":
        return bytes(data[:count])
    streamed = codec in {"zlib", "deflate", "zstd", "lzma", "lz4_frame"}
    inflate = _INFLATE.get(codec)
    if inflate is None or (not streamed and size > 1 << 20):
        return b""
    try:
        return inflate(data, count if streamed else size)[:count]
    except _FAILURES:
        return b""
