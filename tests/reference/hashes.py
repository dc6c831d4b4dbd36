"""Slow readable twins of the hash kernels that no library offers."""

from collections.abc import Callable


def _fnv(width: int, start: int, prime: int, first_xor: bool) -> Callable[[bytes, int], int]:
    def run(text: bytes, seed: int) -> int:
        value, mask = start ^ seed, (1 << width) - 1
        for byte in text:
            value = ((value ^ byte) * prime) & mask if first_xor else ((value * prime) & mask) ^ byte
        return value

    return run


def _djb2(text: bytes, seed: int) -> int:
    value = seed or 5381
    for byte in text:
        value = (value * 33 + byte) & 0xFFFFFFFF
    return value


SLOW: dict[str, Callable[[bytes, int], int]] = {
    "fnv1_32": _fnv(32, 0x811C9DC5, 0x01000193, first_xor=False),
    "fnv1a_32": _fnv(32, 0x811C9DC5, 0x01000193, first_xor=True),
    "fnv1_64": _fnv(64, 0xCBF29CE484222325, 0x100000001B3, first_xor=False),
    "fnv1a_64": _fnv(64, 0xCBF29CE484222325, 0x100000001B3, first_xor=True),
    "djb2": _djb2,
}
