"""Ciphers of packs, through `cryptography`: AES in CTR and CBC, and the repeating XOR."""

from __future__ import annotations

import numpy as np
from cryptography.hazmat.primitives.ciphers import Cipher, algorithms, modes

from pruxel.core.base.errors import ErrorCode, InputError

CIPHERS = ("aes_ctr", "aes_cbc", "xor")
_BLOCK = 16
_AES_KEYS = (16, 32)


def decrypt(cipher: str, key: bytes, iv: bytes, data: memoryview, name: str, offset: int = 0) -> bytes:
    """Undo a cipher: as many bytes as went in.

    `aes_ctr` counts up from `iv` (16 bytes, zero-filled at its end); `aes_cbc` wants whole blocks of 16 bytes, what is
    left over is taken as it is; padding is not removed, since tables tell sizes. `xor` repeats the key. Raises
    `InputError` for an unknown cipher or a key of a length that the cipher does not take.
    """
    if cipher == "xor":
        return _xor(key, data, name)
    if cipher not in CIPHERS:
        raise InputError(
            ErrorCode.LAYOUT,
            "there is no such cipher",
            file=name,
            expected=f"one of {', '.join(CIPHERS)}",
            found=cipher,
        )
    if len(key) not in _AES_KEYS:
        raise InputError(
            ErrorCode.KEY_WRONG,
            "the key has a length that AES does not take",
            file=name,
            offset=offset,
            expected="16 or 32 bytes",
            found=f"{len(key)} bytes",
        )
    start = iv[:_BLOCK].ljust(_BLOCK, b"\0")
    if cipher == "aes_ctr":
        worker = Cipher(algorithms.AES(key), modes.CTR(start)).decryptor()
        return worker.update(data) + worker.finalize()
    whole = len(data) // _BLOCK * _BLOCK
    worker = Cipher(algorithms.AES(key), modes.CBC(start)).decryptor()
    return worker.update(data[:whole]) + worker.finalize() + bytes(data[whole:])


def _xor(key: bytes, data: memoryview, name: str) -> bytes:
    if not key:
        raise InputError(ErrorCode.KEY_WRONG, "the key is empty", file=name)
    pattern = np.frombuffer(key, np.uint8)
    values = np.frombuffer(data, np.uint8)
    return bytes(values ^ np.resize(pattern, len(values)))
