"""Compression codecs by the names that layouts use. Output is bounded by the size that the table promises."""

from __future__ import annotations

import lzma
import zlib
from collections.abc import Callable
from typing import Any, cast

import brotli
import imagecodecs
import lz4.block
import lz4.frame
import zstandard
from isal import isal_zlib

from pruxel.core.base.errors import ErrorCode, InputError

Inflate = Callable[[memoryview, int], bytes]


def _stored(data: memoryview, _size: int) -> bytes:
    return bytes(data)


class _MoreError(Exception):
    """There is more unpacked data than was promised."""


def _zlib(data: memoryview, size: int) -> bytes:
    return _inflated(data, size, raw=False)


def _deflate(data: memoryview, size: int) -> bytes:
    return _inflated(data, size, raw=True)


def _inflated(data: memoryview, size: int, *, raw: bool) -> bytes:
    """By libdeflate, which wants to know the size and is the quickest by far where data is hard to compress."""
    try:
        return cast("bytes", imagecodecs.deflate_decode(cast("Any", data), raw=raw, out=size))
    except imagecodecs.DeflateError as error:
        if "INSUFFICIENT_SPACE" in str(error):
            raise _MoreError from error
        raise


def _zstd(data: memoryview, size: int) -> bytes:
    promised = zstandard.frame_content_size(data)
    if promised > size:
        raise _MoreError
    if promised == size:  # in one go, which takes half the time
        return zstandard.ZstdDecompressor().decompress(data, allow_extra_data=True)
    return _zstd_stream(data, size + 1)


def _zstd_stream(data: memoryview, count: int) -> bytes:
    with zstandard.ZstdDecompressor().stream_reader(data) as reader:
        return reader.read(count)


def _lz4(data: memoryview, size: int) -> bytes:
    if not size:  # there is no room to decode into
        return lz4.block.decompress(data, uncompressed_size=0)
    return cast("bytes", imagecodecs.lz4_decode(cast("Any", data), out=size))


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

# The first bytes alone need a decoder that can stop early.
_INFLATE_HEAD: dict[str, Inflate] = _INFLATE | {
    "zstd": _zstd_stream,
    "zlib": lambda data, count: isal_zlib.decompressobj().decompress(data, count),
    "deflate": lambda data, count: isal_zlib.decompressobj(wbits=-15).decompress(data, count),
}

_FAILURES: tuple[Any, ...] = (
    imagecodecs.DeflateError,
    imagecodecs.Lz4Error,
    isal_zlib.error,
    zstandard.ZstdError,
    lz4.block.LZ4BlockError,
    lzma.LZMAError,
    brotli.error,
    RuntimeError,
    EOFError,
)

_PIECE = 1 << 14
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
    unpacked = 0
    try:
        out = inflate(data, size)
        unpacked = len(out)
    except _MoreError:
        out, unpacked = b"", size + 1
    except _FAILURES as error:
        raise InputError(
            ErrorCode.CODEC,
            f"the {codec} data is damaged ({error})",
            file=name,
            offset=offset,
            expected=f"{size:,} bytes of unpacked data",
            hint="Check the file's size against the original; the copy may be incomplete.",
        ) from error
    if unpacked != size:
        found = f"more than {size:,}" if unpacked > size else f"{unpacked:,}"
        raise InputError(
            ErrorCode.CODEC,
            f"the {codec} data unpacks to another size than the table says",
            file=name,
            offset=offset,
            expected=f"{size:,} bytes",
            found=f"{found} bytes",
        )
    return out


def measure_stream(codec: str, data: memoryview, most: int) -> tuple[int, int] | None:
    """How many bytes a zlib, Zstandard or LZ4 stream takes that begins here, and how many they unpack to.

    None where none begins, where it has no end, or where it unpacks to more than `most`.
    """
    makers: dict[str, Callable[[], Any]] = {
        "zlib": zlib.decompressobj,
        "zstd": zstandard.ZstdDecompressor().decompressobj,
        "lz4_frame": lz4.frame.LZ4FrameDecompressor,
    }
    stream, size, at = makers[codec](), 0, 0
    try:
        while not stream.eof and at < len(data) and size <= most:
            size += len(stream.decompress(data[at : at + _PIECE]))
            at += _PIECE
    except (*_FAILURES, zlib.error):
        return None
    if not stream.eof or size > most:
        return None
    return min(at, len(data)) - len(stream.unused_data or b""), size


def decompress_head(codec: str, data: memoryview, size: int, count: int) -> bytes:
    """The first bytes of the unpacked data, as far as cheaply had; empty when they cannot be had."""
    if codec == "stored":
        return bytes(data[:count])
    streamed = codec in {"zlib", "deflate", "zstd", "lzma", "lz4_frame"}
    inflate = _INFLATE_HEAD.get(codec)
    if inflate is None or (not streamed and size > 1 << 20):
        return b""
    try:
        return inflate(data, count if streamed else size)[:count]
    except _FAILURES:
        return b""
