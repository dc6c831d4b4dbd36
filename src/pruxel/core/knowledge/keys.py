"""Keys of packs: named byte strings, typed as hex or base64, never shown whole."""

from __future__ import annotations

import base64
import binascii
import re
from collections.abc import Mapping

from pruxel.core.base.errors import ErrorCode, UsageError

Keys = Mapping[str, bytes]
NO_KEYS: Keys = {}
_HEX = re.compile(r"^(0x)?([0-9a-fA-F]{2}[\s:,-]*)+$")
_LONGEST = 4096


def parse_key(text: str) -> bytes:
    """Bytes of a key written as hex (spaces, colons and `0x` allowed) or base64; raises `UsageError`.

    What reads as hex is hex. The text itself is never part of the error.
    """
    wanted = text.strip()
    if 0 < len(wanted) <= _LONGEST:
        if _HEX.match(wanted):
            return bytes.fromhex(re.sub(r"^0x|[\s:,-]", "", wanted))
        try:
            found = base64.b64decode(wanted, validate=True)
            if found:
                return found
        except (binascii.Error, ValueError):
            pass
    raise UsageError(
        ErrorCode.USAGE,
        "this is no key",
        expected="hex digits in pairs, or base64",
        found=f"{len(wanted)} characters that are neither",
        hint="A key of 16 bytes has 32 hex digits or 24 characters of base64.",
    )


def shown_key(key: bytes) -> str:
    """What may be shown of a key: its length and two hex digits of a check sum, enough to tell two keys apart."""
    return f"{len(key)} bytes, check {binascii.crc32(key) & 0xFF:02x}"
