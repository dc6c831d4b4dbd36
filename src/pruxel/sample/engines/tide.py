"""The first engine: text, fixed point, big endian, and creatures that move by whole shapes."""

from __future__ import annotations

import struct

import numpy as np

from pruxel.core.base.arrays import AnyArray, DoubleArray
from pruxel.sample.dredged import SHAPES, Net
from pruxel.sample.engines import hermit

FRAMES, RATE = 12, 10


def files() -> dict[str, bytes]:
    """Its files by path."""
    return {
        "old/tide/bell.wds": words_bytes(SHAPES["bell"]()),
        "old/tide/starfish.fxp": fixed_bytes(SHAPES["starfish"]()),
        "old/tide/jelly.jel": jelly_bytes(),
        "old/tide/shore.things": things_text().encode(),
        "old/tide/hermit.bones": hermit.body_text().encode(),
        "old/tide/hermit.moves": hermit.moves_text().encode(),
    }


def quads(net: Net) -> AnyArray:
    """The faces of a net, (q, 4)."""
    field = np.arange((net.width - 1) * (net.height - 1))
    first = field // (net.width - 1) * net.width + field % (net.width - 1)
    return np.stack([first, first + net.width, first + net.width + 1, first + 1], axis=1)


def words_bytes(net: Net) -> bytes:
    """Sections of words: points, then faces of three or four corners, those at the rim as triangles."""
    lines = ["tidework 2", "# turned on the wheel", f"points {len(net.positions)}"]
    lines += [f"{x:.5f} {y:.5f} {z:.5f}" for x, y, z in net.positions.tolist()]
    faces = quads(net).tolist()
    lines.append(f"faces {len(faces) + 1}")
    lines += [f"4 {a} {b} {c} {d}" for a, b, c, d in faces[1:]]
    a, b, c, d = faces[0]
    lines += [f"3 {a} {b} {c}", f"3 {a} {c} {d}"]
    return ("\n".join(lines) + "\n").encode()


def fixed_bytes(net: Net) -> bytes:
    """Positions as 16.16 fixed point in centimetres; every triangle names a colour of a list."""
    spotted = net.colors[:, 0] > 0.9
    faces = quads(net)
    triangles = np.concatenate([faces[:, [0, 1, 2]], faces[:, [0, 2, 3]]])
    tints = spotted[triangles[:, 0]].astype(int)
    head = struct.pack(">4sHHH", b"FXPT", len(net.positions), len(triangles), 2)
    colors = b"".join(bytes(rgb) for rgb in ((209, 87, 61), (242, 204, 153)))
    places = np.rint(net.positions * 100 * 65536).astype(">i4").tobytes()
    rows = np.zeros(len(triangles), np.dtype([("points", ">u2", 3), ("tint", "u1"), ("kind", "u1")]))
    rows["points"], rows["tint"] = triangles, tints
    return head + colors + places + rows.tobytes()


def jelly_shape(phase: float) -> DoubleArray:
    """A jellyfish at one moment of its stroke: (n, 3), rings of 16 from the crown to the rim."""
    around, down = np.meshgrid(np.arange(16) / 16 * 2 * np.pi, np.linspace(0.02, 1, 9))
    beat = 0.5 + 0.5 * np.sin(phase - 1.4 * down)
    wide = 0.3 * np.sin(down * np.pi * 0.62) * (0.75 + 0.35 * beat)
    up = 0.45 + 0.3 * np.cos(down * np.pi * 0.6) - 0.05 * beat
    return np.stack([wide * np.cos(around), up, wide * np.sin(around)], axis=2).reshape(-1, 3)


def jelly_bytes() -> bytes:
    """Frames of bytes with a scale and a bias each; one strip for all of them, rings joined by a restart."""
    shapes = [jelly_shape(n / FRAMES * 2 * np.pi) for n in range(FRAMES)]
    strip: list[int] = []
    for ring in range(8):
        for n in [*range(16), 0]:
            strip += [(ring + 1) * 16 + n, ring * 16 + n]
        strip.append(0xFFFF)
    data = struct.pack("<4s3H", b"JELY", len(shapes[0]), FRAMES, len(strip))
    for number, shape in enumerate(shapes):
        low, high = shape.min(axis=0), shape.max(axis=0)
        scale = (high - low) / 255
        data += struct.pack("<10s6f", f"stroke{number:02d}".encode(), *scale, *low)
        data += np.rint((shape - low) / scale).astype("u1").tobytes()
    return data + np.array(strip, "<u2").tobytes()


def things_text() -> str:
    """A level as blocks of words: what stands where."""
    things = (
        ("bell.wds", 0, 0, 0),
        ("starfish.fxp", 0.8, 0.3, 40),
        ("starfish.fxp", -0.6, 0.7, 160),
        ("jelly.jel", 0.2, -1, 0),
    )
    lines = ["// the shore, as the first engine had it"]
    for number, (name, x, z, turn) in enumerate(things):
        said = {"class": "prop", "number": number, "model": name, "at": f"{x} 0 {z}", "angle": turn}
        lines += ["{", *(f'  "{key}" "{value}"' for key, value in said.items()), "}"]
    return "\n".join(lines) + "\n"
