"""Layouts beside a general declarative parser, by the same format; many parts beside few; how soon a command starts."""

from __future__ import annotations

import struct
import subprocess
import sys
import time
from collections.abc import Callable

import construct
import numpy as np

from bench.timing import best, by_turns, line
from pruxel.core.base.context import Context
from pruxel.core.binary.conventions import Conventions
from pruxel.core.binary.elements import decode_floats, element
from pruxel.core.binary.expressions import compile_expression
from pruxel.core.binary.load import load_layout
from pruxel.core.binary.parse import parse
from pruxel.core.extract.file import parse_file
from pruxel.core.extract.meshes import read_model

_CONTEXT = Context()
_VERTICES = """
layout: vertices
records:
  file: [{name: count, type: u32}, {name: rows, type: row, count: count}]
  row: [{name: place, type: f32x3}, {name: color, type: u8x4}]
"""
_VARYING = """
layout: varying
records:
  file: [{name: count, type: u32}, {name: rows, type: row, count: count}]
  row:
    - {name: flags, type: u8}
    - {name: place, type: f32x3}
    - {name: color, type: u8x4, when: flags & 1}
    - {name: pulls, type: u8}
    - {name: joints, type: u16, count: pulls}
"""
_PARTS = """
layout: parts
records:
  file:
    - {name: part_count, type: u32}
    - {name: size, type: u32, note: triangles a part}
    - {name: parts, type: part, count: part_count}
  part:
    - {name: title, type: text, prefix: u8}
    - {name: points, type: bytes, size: size * 36}
    - {name: corners, type: bytes, size: size * 12}
yields:
  meshes:
    each: parts
    name: title
    vertices: {data: points, elements: {position: {type: f32x3}}}
    triangles: {data: corners, type: u32}
"""


def _once(work: Callable[[], object]) -> float:
    """How long something takes that takes long."""
    begun = time.perf_counter()
    work()
    return time.perf_counter() - begun


def _beside(what: str, layout: str, other: construct.Construct, data: bytes, rows: int, part: int, goal: float) -> None:
    """Our time for all rows beside the other's, which is measured over a part of them."""
    known = load_layout(layout, "bench")

    def ours() -> None:
        compile_expression("rows.place")(parse(known, memoryview(data), "bench", _CONTEXT))

    theirs = _once(lambda: other[part].parse(data[4:])) * rows / part
    line(f"{what} : general parser", best(ours), theirs, 1 / goal)


def run() -> None:
    """All ratios of layouts."""
    rng = np.random.default_rng(3)
    count = 1_000_000
    plain = struct.pack("<I", count) + rng.integers(0, 256, (count, 16), dtype=np.uint8).tobytes()
    row = construct.Struct("place" / construct.Float32l[3], "color" / construct.Byte[4])
    _beside("1,000,000 vertices", _VERTICES, row, plain, count, 20_000, 1000)

    count = 100_000
    rows = []
    for number in range(count):
        pulls = number % 5
        colored = bytes(4) if number & 1 else b""
        rows.append(
            struct.pack("<B3f", number & 1, 1, 2, 3) + colored + struct.pack(f"<B{pulls}H", pulls, *range(pulls))
        )
    loose = struct.Struct("<I").pack(count) + b"".join(rows)
    varying = construct.Struct(
        "flags" / construct.Byte,
        "place" / construct.Float32l[3],
        "color" / construct.If(construct.this.flags & 1, construct.Byte[4]),
        "pulls" / construct.Byte,
        "joints" / construct.Int16ul[construct.this.pulls],
    )
    _beside("100,000 records of varying size", _VARYING, varying, loose, count, 5_000, 50)

    # Vertices are not shared between triangles, and normals are made.
    for triangles in (200, 400):
        many, few = (_opened(parts, triangles * 9_000) for parts in (9_000, 9))
        line(f"9,000 parts of {triangles} triangles : the same in 9 parts", *by_turns(many, few, 4), 3)
    _elements()
    _starting()


def _opened(parts: int, triangles: int) -> Callable[[], object]:
    size = triangles // parts
    corners = np.arange(size * 3, dtype="<u4").tobytes()
    points = np.random.default_rng(1).random((size * 3, 3), np.float32).tobytes()
    data = struct.pack("<II", parts, size) + b"".join(
        b"\x08part%04d" % number + points + corners for number in range(parts)
    )
    known = load_layout(_PARTS, "bench")
    return lambda: read_model(parse_file(memoryview(data), known, "bench", Conventions(), _CONTEXT), _CONTEXT)


def _elements() -> None:
    """Every packed element beside a copy of what it becomes; the worst of them counts."""
    worst, name = (0.0, 1.0), ""
    for kind in map(
        element, ("unorm8x4", "snorm8x4", "f16x4", "unorm16x4", "snorm16x4", "unorm10_10_10_2", "snorm10_10_10_2")
    ):
        assert kind is not None
        rows = np.random.default_rng(1).integers(0, 255, (500_000, kind.size), dtype=np.uint8)
        made = decode_floats(rows, kind, 0)
        times = (best(lambda k=kind, r=rows: decode_floats(r, k, 0)), best(made.copy))  # type: ignore[misc]
        if times[0] / times[1] > worst[0] / worst[1]:
            worst, name = times, kind.name
    line(f"decode of a packed element ({name}) : copy of it", *worst, 6)


def _starting() -> None:
    def begun(*words: str) -> Callable[[], object]:
        return lambda: subprocess.run([sys.executable, *words], capture_output=True, check=True)

    line(
        "`pruxel --help` : `import numpy`", best(begun("-m", "pruxel", "--help")), best(begun("-c", "import numpy")), 3
    )
