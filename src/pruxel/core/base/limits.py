"""Budgets against hostile input. Every default is safe for a machine with 4 GB free."""

from __future__ import annotations

from dataclasses import dataclass

from pruxel.core.base.errors import ErrorCode, InputError


@dataclass(frozen=True)
class Limits:
    """How much one piece of input may ask for.

    Sizes are in bytes; `ratio` is unpacked size over packed size.
    """

    entry_bytes: int = 2 << 30
    entries: int = 8_000_000
    archive_bytes: int = 64 << 30
    ratio: float = 400.0
    ratio_free_bytes: int = 4 << 20
    nesting: int = 8
    records: int = 2_000_000
    vertices: int = 50_000_000
    image_side: int = 16_384
    text_bytes: int = 1 << 30
    nodes: int = 1_000_000


def check_unpacked_size(limits: Limits, file: str, packed: int, unpacked: int) -> None:
    """Raise `InputError` when an entry claims to unpack beyond the size or ratio budget."""
    if unpacked > limits.entry_bytes:
        raise InputError(
            ErrorCode.BUDGET,
            "the entry claims more than one entry may hold",
            file=file,
            expected=f"at most {limits.entry_bytes:,} bytes",
            found=f"{unpacked:,} bytes",
            hint="The size field may be damaged; check that the layout fits this version.",
        )
    if unpacked > limits.ratio_free_bytes and unpacked > limits.ratio * max(packed, 1):
        raise InputError(
            ErrorCode.BUDGET,
            "the entry unpacks to implausibly much",
            file=file,
            expected=f"at most {limits.ratio:g} times its packed size",
            found=f"{packed:,} bytes that claim to be {unpacked:,}",
            hint="This looks like a decompression bomb; the entry is left alone.",
        )
