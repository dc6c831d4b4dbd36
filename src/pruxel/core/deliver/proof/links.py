"""Texture files that a delivered file names: they must be there, and show what they should."""

from __future__ import annotations

import io
from collections.abc import Iterable, Sequence
from dataclasses import dataclass
from pathlib import Path

import numpy as np
from PIL import Image as Pillow

from pruxel.core.base.arrays import AnyArray, ByteArray
from pruxel.core.deliver.proof.checks import Check

_CLOSE = 2  # of 255, for pictures whose decoders round otherwise


@dataclass(frozen=True, eq=False)
class Picture:
    """What a material's place should show: (h, w, c) uint8 texels, by the `link` that was read."""

    where: str
    link: str
    texels: ByteArray


def compare_links(named: Iterable[str], main: Path) -> Check:
    """Each must be there, by a relative path that stays below the delivery."""
    links = sorted(set(named))
    broken = [one for one in links if _outside(one) or not (main.parent / one).is_file()]
    words = "all there" if not broken else f"'{broken[0]}' is not there"
    return Check("texture files", f"{len(links):,}", words, not broken)


def compare_pictures(pictures: Iterable[Picture], main: Path) -> Check:
    """Each file, decoded by Pillow, must hold the texels that its place should show."""
    wrong, count = "", 0
    for one in pictures:
        count += 1
        path = main.parent / one.link
        if _outside(one.link) or not path.is_file():
            wrong = wrong or f"{one.where}: '{one.link}' is not there"
            continue
        why = _differs(path, one.texels)
        wrong = wrong or (why and f"{one.where}: '{one.link}' {why}")
    return Check("pictures", f"{count:,} places", wrong or "each shows what it should", not wrong)


def compare_images(written: Sequence[tuple[str, ByteArray]], read: Sequence[AnyArray]) -> Check:
    """Each picture that the file holds or links, decoded by Pillow, must hold the texels of the one of its number."""
    if len(written) != len(read):
        return Check("pictures", f"{len(written):,}", f"{len(read):,}", passed=False)
    wrong = ""
    for (name, texels), data in zip(written, read, strict=True):
        why = _differs(io.BytesIO(data.tobytes()), texels)
        wrong = wrong or (why and f"'{name}' {why}")
    return Check("pictures", f"{len(written):,}", wrong or "each shows what it should", not wrong)


def _differs(source: Path | io.BytesIO, texels: ByteArray) -> str:
    """Why a picture does not show these texels, in words; nothing when it does."""
    found = _decoded(source, texels.shape[2])
    if found is None or found.shape != texels.shape:
        return "is of another size, or no picture"
    return "shows something else" if int(np.abs(found.astype(np.int16) - texels).max(initial=0)) > _CLOSE else ""


def _outside(link: str) -> bool:
    return link.startswith(("/", "\\")) or ".." in link.replace("\\", "/").split("/") or ":" in link


def _decoded(source: Path | io.BytesIO, channels: int) -> ByteArray | None:
    try:
        with Pillow.open(source) as picture:
            return np.atleast_3d(np.asarray(picture.convert({1: "L", 3: "RGB"}.get(channels, "RGBA"))))
    except (OSError, ValueError):
        return None
