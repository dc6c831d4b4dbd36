"""The slow readable twin of element decoding: one struct call a component."""

import struct

import numpy as np

_CODES = {"u8": "B", "i8": "b", "u16": "H", "i16": "h", "u32": "I", "i32": "i", "f16": "e", "f32": "f", "f64": "d"}


def _one(scalar: str, raw: bytes, order: str) -> float:
    if scalar.startswith("unorm"):
        bits = int(scalar[5:])
        return struct.unpack(order + _CODES[f"u{bits}"], raw)[0] / (2**bits - 1)
    if scalar.startswith("snorm"):
        bits = int(scalar[5:])
        return max(struct.unpack(order + _CODES[f"i{bits}"], raw)[0] / (2 ** (bits - 1) - 1), -1.0)
    return float(struct.unpack(order + _CODES[scalar], raw)[0])


def _tens(word: int, *, signed: bool) -> list[float]:
    values = [(word >> shift) & 1023 for shift in (0, 10, 20)] + [word >> 30]
    if not signed:
        return [v / 1023 for v in values[:3]] + [values[3] / 3]
    tens = [max((v - 1024 if v > 511 else v) / 511, -1.0) for v in values[:3]]
    return [*tens, max(float(values[3] - 4 if values[3] > 1 else values[3]), -1.0)]


def slow_decode(rows: np.ndarray, name: str, offset: int, order: str) -> np.ndarray:
    """Decode (n, stride) uint8 rows to (n, components) float32."""
    if "10_10" in name:
        words = [struct.unpack(order + "I", bytes(row[offset : offset + 4]))[0] for row in rows]
        return np.array([_tens(w, signed=name.startswith("s")) for w in words], np.float32)
    scalar, _, width = name.partition("x")
    size = int("".join(c for c in scalar if c.isdigit())) // 8
    out = []
    for row in rows:
        raw = bytes(row)
        out.append(
            [_one(scalar, raw[offset + i * size : offset + (i + 1) * size], order) for i in range(int(width or 1))]
        )
    return np.array(out).astype(np.float32)
