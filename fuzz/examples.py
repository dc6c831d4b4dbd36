"""A small file for each layout that `docs/layouts.md` shows, and those layouts: as odd as real formats are."""

from __future__ import annotations

import re
import struct
from pathlib import Path

import numpy as np

_PAGE = Path(__file__).resolve().parent.parent / "docs/layouts.md"


def layouts() -> dict[str, str]:
    """The texts of the examples by their names."""
    texts = re.findall(r"```yaml\n(layout: (\w+)\n.*?)```", _PAGE.read_text(), re.DOTALL)
    return {name: text for text, name in texts}


def files() -> dict[str, bytes]:
    """A file that each of them reads, by the layout's name."""
    return {
        "pebble": _pebble(), "gable": _gable(), "flap": _flap(), "twig": _twig(), "twig_moves": _moves(),
        "sprat": _sprat(), "reef_words": _WORDS.encode(), "reef_things": _THINGS.encode(), "mosaic": _mosaic(),
    }  # fmt: skip


def _pebble() -> bytes:
    points = np.array([[0, 0, 0], [100, 0, 0], [0, 0, 50]], "<f4")
    return struct.pack("<4sHH", b"PBBL", 3, 3) + points.tobytes() + struct.pack("<3H", 0, 1, 2) + b"\x03one"


def _gable() -> bytes:
    faces = [(4, 0, [(0, 0), (1, 1), (2, 2), (3, 3)]), (3, 1, [(1, 3), (3, 2), (2, 0)])]
    data = struct.pack("<4s4H12s12s", b"GABL", 4, 4, len(faces), 2, b"brick.dds", b"tile.dds")
    data += np.array([(0, 0, 0), (256, 0, 0), (256, 256, 0), (0, 256, 0)], "<i2").tobytes()
    data += np.array([(0, 0), (4096, 0), (4096, 4096), (0, 4096)], "<u2").tobytes()
    data += b"".join(struct.pack("<BB", count, texture) for count, texture, _ in faces)
    return data + b"".join(struct.pack("<HH", *corner) for _, _, corners in faces for corner in corners)


def _flap() -> bytes:
    strip = np.array([0, 1, 2, 65535, 1, 3, 2], "<u2").tobytes()
    corners = bytes([0, 0, 0, 10, 0, 0, 0, 10, 0, 10, 10, 0])
    frames = (struct.pack("<8s6f", title, 0.1, 0.1, 0.1, 0, 0, 1) + corners for title in (b"up1", b"up2", b"still"))
    return struct.pack("<4sHH", b"FLAP", 4, 7) + b"".join(frames) + strip


def _twig() -> bytes:
    joints = ((b"trunk", -1, 0.0), (b"tip", 0, 2.0))
    return b"TWIG\x02\0" + b"".join(
        struct.pack(f"<B{len(name)}sh7f", len(name), name, parent, 0, at, 0, 0, 0, 0, 1) for name, parent, at in joints
    )


def _moves() -> bytes:
    return b"TWGM" + struct.pack("<fHHB5s8h", 2.0, 2, 1, 5, b"trunk", 0, 0, 0, 32767, 0, 0, 23170, 23170)


def _sprat() -> bytes:
    joints = ((1, 4, 2.0), (-1, 0, 0.0))
    points = ((1, 255, 0, 0, 0), (0, 255, 0, 0, 1), (1, 128, 1, 0, 1), (0, 128, 1, 0, -1))
    data = struct.pack("<4s4B", b"SPRT", 2, 3, 4, 2)
    data += b"".join(struct.pack("<bB12f", up, mask, 1, 0, 0, 0, 0, 1, 0, 1, 0, 0, 1, z) for up, mask, z in joints)
    return data + bytes([1, 1, 2]) + b"".join(struct.pack("<BB3f", *one) for one in points) + struct.pack("<2h", 0, 99)


def _mosaic() -> bytes:
    return struct.pack("<4sHH16H", b"MOSC", 8, 4, *range(0, 65536, 4096)) + bytes([131, 0x33, 11, *range(12)])


_WORDS = """reef
# two joints, a square
joints 2  root -1  0 0 0   "the tip" 0  0 2.5 0
points 4  0 0 0  0 0  0   1 0 0  1 0  0   1 1 0  1 1  1   0 1 0  0 1  1
triangles 2   0 1 2  0 2 3   "wall blue.dds"
"""
_THINGS = """{ "kind" "prop"
  "model" "lamp"
  "origin" "1 2 3"
}
{
  kind prop // a crate
  model crate
  origin -4 0 0
  angle 90
}
"""
