"""A small file for each layout that `docs/layouts.md` shows, and those layouts: as odd as real formats are."""

from __future__ import annotations

import re
import struct
from pathlib import Path

import numpy as np

from pruxel.core.binary.schema import Layout
from pruxel.core.knowledge.layout_files import load_together, written_in

_PAGE = Path(__file__).resolve().parent.parent / "docs/layouts.md"


def layouts() -> dict[str, str]:
    """The texts of the examples by their names."""
    texts = re.findall(r"```yaml\n(layout: (\w+)\n.*?)```", _PAGE.read_text(), re.DOTALL)
    return {name: text for text, name in texts}


def loaded(name: str) -> Layout:
    """One of them, with what it includes."""
    written = [written_in(text, one) for one, text in layouts().items()]
    return next(one for one in load_together(written, "the page") if one.layout == name)


def files() -> dict[str, bytes]:
    """A file that each of them reads, by the layout's name."""
    return {
        "pebble": _pebble(), "gable": _gable(), "flap": _flap(), "twig": _twig(), "twig_moves": _moves(),
        "sprat": _sprat(), "reef_words": _WORDS.encode(), "reef_things": _THINGS.encode(), "mosaic": _mosaic(),
        "quarry": quarry(), "crate": crate(), "wasp": wasp(), "strider": strider(), "skyline": skyline(),
        "ledger": ledger(), "hamlet": hamlet(),
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


def quarry() -> bytes:
    """Two triangles; nothing but their counts tells the format."""
    rows = [(0, 0, 0, 0, 0), (1, 0, 0, 1, 0), (1, 1, 0, 1, 1), (0, 1, 0, 0, 1)]
    corners = np.array([0, 1, 2, 0, 2, 3], "<u2").tobytes()
    return struct.pack("<II", 4, 6) + b"".join(struct.pack("<5f", *row) for row in rows) + corners


def crate() -> bytes:
    """Two files in sectors of 2,048 bytes, behind one that holds the table."""
    rows = ((b"HUT", 1, 1, 2, 100), (b"LAMP", 2, 3, 1, 2000))
    table = b"".join(struct.pack("<12sBxHHH", title, kind, at, many, less) for title, kind, at, many, less in rows)
    head = (b"CRAT" + struct.pack("<I", len(rows)) + table).ljust(2048, b"\0")
    return head + b"h" * 3996 + bytes(100) + b"l" * 48 + bytes(2000)


def wasp() -> bytes:
    """Two parts of one triangle, three skins, two frames, two points of which the second moves."""
    data = struct.pack("<4sHBBHH", b"WASP", 4, 2, 3, 2, 2)
    data += b"".join(struct.pack("<8s", f"{skin}{part}.png".encode()) for skin in "abc" for part in "xy")
    data += b"".join(struct.pack("<4H", 3, *corners) for corners in ((0, 1, 2), (0, 2, 3)))
    corners = np.array([(0, 0, 0), (64, 0, 0), (64, 64, 0), (0, 64, 0)], "<i2")
    data += corners.tobytes() + (corners + np.array([0, 0, 64], "<i2")).tobytes()
    return data + struct.pack("<8s8s12f", b"sting", b"wing", 0, 0, 0, 1, 0, 0, 0, 0, 1, 1, 1, 1)


def strider() -> bytes:
    """Hip and foot, three frames; the foot turns a quarter about z in the last, the whole walks along x."""
    half = 0.5**0.5
    still, turned = (0, 0, 0, 1), (0, 0, half, half)
    data = struct.pack("<4sHH", b"STRD", 2, 3) + np.array([(n, 0, 0) for n in range(3)], "<f4").tobytes()
    data += struct.pack("<hh", -1, 0)
    for turn in (still, still, turned):
        data += struct.pack("<7f", 0, 1, 0, *still) + struct.pack("<7f", 0, -0.5, 0, *turn)
    points = ((0, 0, 0, 0), (1, 0, 0, 0), (1, 1, 0, 0))
    return data + struct.pack("<H", len(points)) + b"".join(struct.pack("<H3f", *one) for one in points)


def skyline() -> bytes:
    """Six faces of two by two texels, each with a smaller one behind it."""
    faces = b"".join(bytes([face] * 12 + [255] * 3) for face in range(6))
    return struct.pack("<4sHH", b"SKYL", 2, 2) + faces


def ledger() -> bytes:
    """Two goods."""
    goods = ((7, "rope"), (21, "lantern, brass"))
    rows = (struct.pack(f"<H3fB{len(name)}s", code, 1, 2, 0.5, len(name), name.encode()) for code, name in goods)
    return struct.pack("<4sH", b"LDGR", len(goods)) + b"".join(rows)


MODELS = b"props/lamp.obj\nprops/house.obj\nyard.hml\n"


def hamlet(*things: tuple[int, int, tuple[float, float, float], float, tuple[int, int, int, int]]) -> bytes:
    """A house in a group that stands turned, a red lamp before it, and a lamp of its own colour."""
    white, red = (255, 255, 255, 255), (255, 0, 0, 255)
    rows = things or (
        (-1, -1, (10, 0, 0), 90, white), (1, 0, (1, 0, 0), 0, white), (0, 1, (1, 0, 0), 0, red), (0, -1, (0, 5, 0), 0, white),
    )  # fmt: skip
    data = struct.pack("<4sH", b"HMLT", len(rows))
    return data + b"".join(struct.pack("<hh4f4B", m, p, *at, turn, *tint) for m, p, at, turn, tint in rows)


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
