"""A folder of good files among bad ones: each way of being bad that a stranger's disk may hold."""

from __future__ import annotations

import copy
import io
import json
import os
import struct
import zipfile
import zlib
from collections.abc import Callable
from pathlib import Path
from typing import Any

import numpy as np

from pruxel.core.base.context import Context
from pruxel.core.formats import gltf  # noqa: F401 - registers the format
from pruxel.core.formats.ready import make_ready
from pruxel.core.images import png
from tests.glb import Glb, files_of_glb
from tests.scenes import animated, two_boxes

GOOD = (
    "good boxes.glb",
    "good moving.glb",
    "good picture.png",
    "good triangle.obj",
    "inside/good again.glb",
    "packed/good packed.png",
)


def _glb(scene: Any) -> Glb:
    made = files_of_glb(make_ready(scene, Context()).scene)[0]
    return Glb.of(b"".join(bytes(piece) for piece in made.pieces))


def _changed(base: Glb, change: Callable[[dict[str, Any]], None]) -> bytes:
    document = copy.deepcopy(base.document)
    change(document)
    return Glb(document, bytearray(base.binary)).bytes()


def _documents(base: Glb) -> dict[str, bytes]:
    def first(document: dict[str, Any]) -> dict[str, Any]:
        return document["meshes"][0]["primitives"][0]  # type: ignore[no-any-return]

    def accessor(document: dict[str, Any], name: str) -> dict[str, Any]:
        return document["accessors"][first(document)["attributes"][name]]  # type: ignore[no-any-return]

    changes: dict[str, Callable[[dict[str, Any]], None]] = {
        "its own child": lambda d: d["nodes"][0].update(children=[0]),
        "two parents": lambda d: d["nodes"][1].update(children=[2]),
        "index out of range": lambda d: d["accessors"][first(d)["indices"]].update(count=10**6),
        "material of nowhere": lambda d: first(d).update(material=99),
        "short tuple": lambda d: d["nodes"][0].update(translation=[1.0]),
        "zero rotation": lambda d: d["nodes"][0].update(rotation=[0.0, 0.0, 0.0, 0.0]),
        "zero scale": lambda d: d["nodes"][0].update(scale=[0.0, 0.0, 0.0]),
        "empty accessor": lambda d: accessor(d, "POSITION").update(count=0),
        "65 bits": lambda d: d["bufferViews"][0].update(byteOffset=2**65),
        "infinite place": lambda d: d["nodes"][0].update(translation=[1e308, 1e308, 1e308]),
        "NUL in a name": lambda d: d["nodes"][0].update(name="a\0b"),
        "half a character": lambda d: d["nodes"][0].update(name="\ud800"),
        "nothing at all": dict.clear,
    }
    return {f"bad {name}.glb": _changed(base, change) for name, change in changes.items()}


def _archives() -> dict[str, bytes]:
    def archive(how: int, names: list[str]) -> bytes:
        out = io.BytesIO()
        with zipfile.ZipFile(out, "w", how) as one:
            for name in names:
                one.writestr(name, b"some text in here\n" * 50)
        return out.getvalue()

    lzma = bytearray(archive(zipfile.ZIP_LZMA, ["a.txt", "b.txt"]))
    lzma[40:60] = os.urandom(20)
    huge = bytearray(archive(zipfile.ZIP_DEFLATED, ["a.txt"]))
    at = huge.index(b"PK\x01\x02")
    huge[at + 24 : at + 28] = b"\xff\xff\xff\xff"
    return {
        "bad lzma.zip": bytes(lzma),
        "bad sizes.zip": bytes(huge),
        "bad cut.zip": archive(zipfile.ZIP_DEFLATED, ["a.txt", "b.txt"])[:150],
        "empty.zip": archive(zipfile.ZIP_STORED, []),
        "no bytes.zip": b"",
        "odd names.zip": archive(zipfile.ZIP_STORED, ["a", "a/b", "../../out.txt", "\u202egnp.txt", "灯" * 100, "NUL"]),
        "bad noise.7z": b"7z\xbc\xaf\x27\x1c" + os.urandom(300),
        "bad noise.tar.gz": b"\x1f\x8b\x08\x00" + os.urandom(300),
    }


def _pictures() -> dict[str, bytes]:
    def chunk(name: bytes, data: bytes) -> bytes:
        return struct.pack(">I", len(data)) + name + data + struct.pack(">I", zlib.crc32(name + data))

    head = b"\x89PNG\r\n\x1a\n" + chunk(b"IHDR", struct.pack(">IIBBBBB", 60_000, 60_000, 8, 6, 0, 0, 0))
    return {
        "bad vast.png": head + chunk(b"IDAT", zlib.compress(bytes(1000))) + chunk(b"IEND", b""),
        "bad cut.png": png.encode(np.zeros((64, 64, 4), np.uint8))[:60],
        "bad noise.jpg": b"\xff\xd8\xff\xe0" + os.urandom(500),
        "bad.dds": b"DDS \x7c\x00\x00\x00" + b"\xff" * 120,
    }


def make(folder: Path) -> dict[str, bytes]:
    """Fill a folder; returns the bad files by name."""
    (folder / "inside").mkdir(parents=True)
    boxes, moving = _glb(two_boxes()), _glb(animated())
    noise = np.random.default_rng(3).integers(0, 256, (32, 32, 4), np.uint8)
    noise[..., 3] = 255
    good = {
        "good boxes.glb": boxes.bytes(),
        "good moving.glb": moving.bytes(),
        "good picture.png": png.encode(noise),
        "good triangle.obj": b"v 0 0 0\nv 1 0 0\nv 0 1 0\nf 1 2 3\n",
        "inside/good again.glb": boxes.bytes(),
    }
    for name, data in good.items():
        (folder / name).write_bytes(data)
    with zipfile.ZipFile(folder / "z good.zip", "w") as archive:
        archive.writestr("packed/good packed.png", png.encode(noise[::-1].copy()))
    bad = _documents(boxes) | _archives() | _pictures()
    bad["bad text.gltf"] = json.dumps({"asset": {"version": "2.0"}, "scenes": "x"}).encode()
    bad["bad deep.gltf"] = b'{"asset": ' + b"[" * 100_000
    bad["bad.obj"] = b"v 1 2\nf 1 2 9\n" + b"f " + b"1 " * 50_000 + b"\n"
    bad["bad.wav"] = b"RIFF\xff\xff\xff\xffWAVEfmt \x10\x00\x00\x00" + b"\xff" * 30
    bad["tab\tand\nline.txt"] = b"text"
    bad["right\u202eto left.txt"] = b"text"
    for name, data in bad.items():
        (folder / name).write_bytes(data)
    Path(os.fsdecode(os.fsencode(folder) + b"/not utf-8 \xff.txt")).write_bytes(b"text")
    (folder / "leads out.txt").symlink_to("/etc/hostname")
    (folder / "circle").symlink_to(folder / "circle")
    os.mkfifo(folder / "pipe")
    return bad
