"""Fields of bytes and of text: packed, encrypted, with a size, a prefix or an end."""

from __future__ import annotations

import numpy as np

from pruxel.core.base.errors import GIVE_KEY, ErrorCode, InputError
from pruxel.core.base.limits import check_unpacked_size
from pruxel.core.binary.reading import Reading, byte_order, evaluate, need, whole
from pruxel.core.binary.records import Record, decoded
from pruxel.core.binary.schema import FieldSpec
from pruxel.core.native.ciphers import decrypt
from pruxel.core.native.codecs import decompress

PREFIX_BYTES = {"u8": 1, "u16": 2, "u32": 4}


def read_bytes(reading: Reading, record: Record, spec: FieldSpec, at: int) -> tuple[memoryview, int]:
    """The bytes of a field, opened and unpacked as it says, and where it ends; raises `InputError`."""
    size = whole(reading, spec.size or "0", record, spec, at)
    need(reading, at, size, record, spec)
    data = reading.data[at : at + size]
    if spec.cipher is not None and size:
        data = _deciphered(reading, record, spec, data, at)
    if spec.codec is None:
        return data, at + size
    codec = str(evaluate(reading, spec.codec, record, spec, at))
    if codec == "stored":
        return data, at + size
    unpacked = whole(reading, spec.unpacked or "0", record, spec, at)
    check_unpacked_size(reading.context.limits, reading.name, size, unpacked)
    # The same packed bytes may stand in any number of fields: what all of them unpack to is counted together.
    reading.spent.unpacked += unpacked
    check_unpacked_size(reading.context.limits, reading.name, max(reading.size, size), reading.spent.unpacked)
    try:
        return memoryview(decompress(codec, data, unpacked, reading.name, at)), at + size
    except InputError as error:
        if spec.cipher is None:
            raise
        raise wrong_key(reading, str(spec.key), at, error) from error


def wrong_key(reading: Reading, key: str, at: int, error: InputError) -> InputError:
    """The error for what a key opened to nothing sensible."""
    return InputError(
        ErrorCode.KEY_WRONG,
        f"the key '{key}' does not open this file",
        file=reading.name,
        offset=at,
        field=error.fault.field,
        expected=error.fault.expected,
        found=error.fault.found,
        hint="Type the key again, or try the other keys that you have.",
    )


def _deciphered(reading: Reading, record: Record, spec: FieldSpec, data: memoryview, at: int) -> memoryview:
    name = str(spec.key)
    key = reading.keys.get(name)
    if key is None:
        raise InputError(
            ErrorCode.KEY_NEEDED,
            f"needs the key '{name}'",
            file=reading.name,
            offset=at,
            field=f"{record.kind}.{spec.name or spec.type}",
            hint=GIVE_KEY,
        )
    if spec.name is not None:
        reading.sealed[spec.name] = name
    iv = b"" if spec.iv is None else evaluate(reading, spec.iv, record, spec, at)
    if not isinstance(iv, bytes | memoryview):
        raise InputError(
            ErrorCode.LAYOUT,
            f"'iv' should be the name of a field of bytes, not {spec.iv!r}",
            file=reading.name,
            offset=at,
            field=f"{record.kind}.{spec.name or spec.type}",
        )
    iv = bytes(iv)
    return memoryview(decrypt(str(spec.cipher), key, iv, data, reading.name, at))


def read_string(reading: Reading, record: Record, spec: FieldSpec, at: int) -> tuple[str, int]:
    """The text of a field and where it ends; raises `InputError`."""
    place = f"{record.kind}.{spec.name}"
    if spec.prefix is not None:
        width = PREFIX_BYTES[spec.prefix]
        need(reading, at, width, record, spec)
        order = "little" if byte_order(reading, spec) == "<" else "big"
        size = int.from_bytes(reading.data[at : at + width], order)  # type: ignore[arg-type]
        need(reading, at + width, size, record, spec)
        return decoded(bytes(reading.data[at + width : at + width + size]), spec.encoding), at + width + size
    if spec.size is not None:
        size = whole(reading, spec.size, record, spec, at)
        need(reading, at, size, record, spec)
        return decoded(bytes(reading.data[at : at + size]), spec.encoding), at + size
    need(reading, at, 1, record, spec)
    wide = spec.encoding.startswith("utf-16")
    window, stop = _terminated(reading.data, at, wide=wide)
    if stop is None:
        raise InputError(
            ErrorCode.MALFORMED,
            "a text has no end",
            file=reading.name,
            offset=at,
            field=place,
            expected="a zero within 65,536 bytes",
        )
    return decoded(window[:stop], spec.encoding), at + stop + (2 if wide else 1)


def _terminated(data: memoryview, at: int, *, wide: bool) -> tuple[bytes, int | None]:
    """Bytes from `at` on and where among them the zero (of two bytes where `wide`) stands; short texts are the rule."""
    window = b""
    for size in (1 << 8, 1 << 16):
        window = bytes(data[at : at + size])
        if wide:
            units = np.frombuffer(window[: len(window) // 2 * 2], np.uint16)
            zeros = np.flatnonzero(units == 0)
            stop = int(zeros[0]) * 2 if len(zeros) else -1
        else:
            stop = window.find(0)
        if stop >= 0:
            return window, stop
    return window, None
