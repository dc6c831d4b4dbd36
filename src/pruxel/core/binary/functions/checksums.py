"""Checksums of blocks of bytes, for `check`."""

from __future__ import annotations

import zlib
from typing import Any

from pruxel.core.binary.arithmetic import kind_of
from pruxel.core.binary.functions.registry import function

_GROUP = "Checksums"


def _block(data: Any) -> bytes | memoryview:  # noqa: ANN401 - any value of a field
    if not isinstance(data, bytes | memoryview):
        raise ValueError(f"{kind_of(data)} is no block of bytes")
    return data


@function(_GROUP)
def crc32(data: Any) -> int:  # noqa: ANN401
    """CRC-32 as in ISO 3309 and ZIP."""
    return zlib.crc32(_block(data))


@function(_GROUP)
def adler32(data: Any) -> int:  # noqa: ANN401
    """Adler-32 as in RFC 1950."""
    return zlib.adler32(_block(data))
