"""Texture files that a delivered file names: they must be there, and show what they should."""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import dataclass
from pathlib import Path

import numpy as np
from PIL import Image as Pillow

from pruxel.core.base.arrays import ByteArray
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
        found = _decoded(path, one.texels.shape[2])
        if found is None or found.shape != one.texels.shape:
            wrong = wrong or f"{one.where}: '{one.link}' is of another size, or no picture"
        elif int(np.abs(found.astype(np.int16) - one.texels).max(initial=0)) > _CLOSE:
            wrong = wrong or f"{one.where}: '{one.link}' shows something else"
    return Check("pictures", f"{count:,} places", wrong or "each shows what it should", not wrong)


def _outside(link: str) -> bool:
    return link.startswith(("/", "\\")) or ".." in link.replace("\\", "/").split("/") or ":" in link


def _decoded(path: Path, channels: int) -> ByteArray | None:
    try:
        with Pillow.open(path) as picture:
            return np.atleast_3d(np.asarray(picture.convert({1: "L", 3: "RGB"}.get(channels, "RGBA"))))
    except (OSError, ValueError):
        return None
