"""What a file is good for is told by its content: pictures, texts, sounds and archives under any name.

Pictures are made and judged by Pillow; every one of them is damaged in every way that bytes can be.
"""

from __future__ import annotations

import bz2
import gzip
import io
import json
import lzma
import sqlite3
import struct
import tarfile
import warnings
import wave
import zipfile
from collections.abc import Callable
from pathlib import Path

import numpy as np
import pytest
from hypothesis import HealthCheck, given, settings
from hypothesis import strategies as st
from PIL import Image as Pillow

from pruxel.core.base.errors import ErrorCode, InputError
from pruxel.core.base.limits import Limits
from pruxel.core.disk.below import HEAD_BYTES
from pruxel.core.images.decode import decode_image, encoding_of, image_info
from pruxel.core.knowledge.kinds import Kind, classify, looks_like_text

SIZES = [(1, 1), (1, 255), (255, 1), (3, 5), (64, 64)]
# How Pillow writes each format, the modes that it takes, and whether what comes back is exact.
FORMATS: dict[str, tuple[str, tuple[str, ...], bool]] = {
    "png": ("PNG", ("1", "L", "LA", "P", "RGB", "RGBA"), True),
    "jpg": ("JPEG", ("L", "RGB", "CMYK"), True),
    "gif": ("GIF", ("L", "P"), True),
    "bmp": ("BMP", ("1", "L", "P", "RGB"), True),
    "tga": ("TGA", ("L", "LA", "P", "RGB", "RGBA"), True),
    "tif": ("TIFF", ("1", "L", "RGB", "RGBA", "CMYK"), True),
    "webp": ("WEBP", ("RGB", "RGBA"), True),
    "ppm": ("PPM", ("L", "RGB"), True),
    "pcx": ("PCX", ("L", "P", "RGB"), True),
    "ico": ("ICO", ("RGBA",), True),
}
CASES = [(ending, mode, size) for ending, (_, modes, _) in FORMATS.items() for mode in modes for size in SIZES]


def drawn(mode: str, size: tuple[int, int]) -> Pillow.Image:
    """A picture in which every channel differs."""
    width, height = size
    y, x = np.mgrid[0:height, 0:width]
    rgba = np.stack([x * 37 % 256, y * 53 % 256, (x + y) * 11 % 256, 255 - (x * y) % 200], axis=-1).astype(np.uint8)
    return Pillow.fromarray(rgba).convert(mode)


def written(ending: str, mode: str, size: tuple[int, int]) -> bytes:
    held = io.BytesIO()
    drawn(mode, size).save(held, FORMATS[ending][0])
    return held.getvalue()


def by_pillow(data: bytes, ending: str) -> np.ndarray:
    return np.asarray(Pillow.open(io.BytesIO(data), formats=[FORMATS[ending][0]]).convert("RGBA"))


@pytest.mark.parametrize(("ending", "mode", "size"), CASES, ids=str)
def test_every_picture_is_decoded_as_another_program_does(ending: str, mode: str, size: tuple[int, int]) -> None:
    data = written(ending, mode, size)
    found = decode_image(data, f"a.{ending}")
    assert np.array_equal(found.rgba, by_pillow(data, ending))
    info = image_info(data, f"a.{ending}")
    assert (info.width, info.height) == (found.rgba.shape[1], found.rgba.shape[0])
    assert info.has_alpha >= bool((found.rgba[..., 3] < 255).any())
    assert classify(data[:HEAD_BYTES], len(data), f"a.{ending}", ()) is Kind.TEXTURE


@pytest.mark.parametrize("ending", ["png", "jpg", "gif", "tif", "webp"])
def test_pictures_are_known_under_any_name(ending: str) -> None:
    data = written(ending, "RGB" if ending != "gif" else "P", (8, 8))
    for name in ("a", "a.bin", "a.model", "a.txt", "b.tga.dat"):
        assert encoding_of(data, name) == FORMATS[ending][0]
        assert classify(data[:HEAD_BYTES], len(data), name, ()) is Kind.TEXTURE
        assert decode_image(data, name).rgba.shape == (8, 8, 4)


@settings(deadline=None, max_examples=150, suppress_health_check=[HealthCheck.too_slow])
@given(
    ending=st.sampled_from(sorted(FORMATS)),
    changes=st.lists(st.tuples(st.floats(0, 1), st.integers(0, 255)), max_size=6),
    cut=st.floats(0, 1),
)
def test_a_damaged_picture_is_decoded_or_refused(ending: str, changes: list[tuple[float, int]], cut: float) -> None:
    data = bytearray(written(ending, FORMATS[ending][1][-1], (23, 17)))
    for place, value in changes:
        data[int(place * (len(data) - 1))] = value
    if cut < 0.5:
        data = data[: int(2 * cut * len(data))]
    with warnings.catch_warnings():
        warnings.simplefilter("ignore")
        for ask in (image_info, decode_image):
            try:
                ask(bytes(data), f"a.{ending}", Limits(image_side=4096))
            except InputError as error:
                assert error.fault.file == f"a.{ending}"
                assert error.fault.message


def test_a_picture_of_unheard_of_size_is_refused_before_it_is_unpacked() -> None:
    data = bytearray(written("png", "RGB", (4, 4)))
    struct.pack_into(">II", data, 16, 60_000, 60_000)
    import zlib

    struct.pack_into(">I", data, 29, zlib.crc32(bytes(data[12:29])))
    for ask in (image_info, decode_image):
        with pytest.raises(InputError) as refused:
            ask(bytes(data), "bomb.png")
        assert refused.value.fault.code in {ErrorCode.BUDGET, ErrorCode.MALFORMED}


def test_sixteen_bit_greys_are_scaled_not_cut() -> None:
    held = io.BytesIO()
    Pillow.fromarray(np.array([[0, 32768, 65535]], np.uint16)).save(held, "PNG")
    assert decode_image(held.getvalue(), "height.png").rgba[0, :, 0].tolist() == [0, 128, 255]


def test_only_the_first_frame_of_a_moving_picture_is_a_texture() -> None:
    frames = [drawn("RGB", (6, 4)), drawn("L", (6, 4)).convert("RGB")]
    held = io.BytesIO()
    frames[0].save(held, "GIF", save_all=True, append_images=frames[1:])
    assert decode_image(held.getvalue(), "spin.gif").rgba.shape == (4, 6, 4)


# Files of other kinds, each made by a program or by its specification.
def as_zip() -> bytes:
    held = io.BytesIO()
    with zipfile.ZipFile(held, "w") as out:
        out.writestr("a.txt", "hello")
    return held.getvalue()


def as_tar() -> bytes:
    held = io.BytesIO()
    with tarfile.open(fileobj=held, mode="w") as out:
        entry = tarfile.TarInfo("a.txt")
        entry.size = 5
        out.addfile(entry, io.BytesIO(b"hello"))
    return held.getvalue()


def as_wav() -> bytes:
    held = io.BytesIO()
    with wave.open(held, "wb") as out:
        out.setparams((1, 2, 8000, 0, "NONE", ""))
        out.writeframes(bytes(200))
    return held.getvalue()


def as_database(folder: Path) -> bytes:
    with sqlite3.connect(folder / "x.db") as db:
        db.execute("create table t (a)")
    db.close()
    return (folder / "x.db").read_bytes()


MADE: dict[str, tuple[Callable[[], bytes], Kind]] = {
    "zip": (as_zip, Kind.PACK),
    "tar": (as_tar, Kind.PACK),
    "gzip": (lambda: gzip.compress(b"hello" * 99), Kind.PACK),
    "bzip2": (lambda: bz2.compress(b"hello" * 99), Kind.PACK),
    "xz": (lambda: lzma.compress(b"hello" * 99), Kind.PACK),
    "wav": (as_wav, Kind.SOUND),
    "ogg": (lambda: b"OggS\0\2" + bytes(22) + b"\x01\x1e\x01vorbis" + bytes(40), Kind.SOUND),
    "ogg video": (lambda: b"OggS\0\2" + bytes(22) + b"\x01\x2a\x80theora" + bytes(40), Kind.VIDEO),
    "flac": (lambda: b"fLaC" + bytes(60), Kind.SOUND),
    "mp3": (lambda: b"\xff\xfb\x90\x64" + bytes(400), Kind.SOUND),
    "mp3 with tags": (lambda: b"ID3\x04\0\0" + bytes(60), Kind.SOUND),
    "midi": (lambda: b"MThd\0\0\0\x06" + bytes(30), Kind.SOUND),
    "aiff": (lambda: b"FORM\0\0\0\x30AIFF" + bytes(40), Kind.SOUND),
    "mp4": (lambda: b"\0\0\0\x18ftypmp42" + bytes(40), Kind.VIDEO),
    "m4a": (lambda: b"\0\0\0\x18ftypM4A " + bytes(40), Kind.SOUND),
    "matroska": (lambda: b"\x1a\x45\xdf\xa3" + bytes(40), Kind.VIDEO),
    "avi": (lambda: b"RIFF\0\0\1\0AVI LIST" + bytes(40), Kind.VIDEO),
    "truetype": (lambda: b"\0\1\0\0\0\x0f" + bytes(40), Kind.FONT),
    "opentype": (lambda: b"OTTO\0\x0b" + bytes(40), Kind.FONT),
    "woff2": (lambda: b"wOF2\0\1\0\0" + bytes(40), Kind.FONT),
    "glb": (lambda: b"glTF\2\0\0\0" + bytes(40), Kind.MODEL),
    "ply": (lambda: b"ply\nformat ascii 1.0\n", Kind.MODEL),
    "collada": (lambda: b"\xef\xbb\xbf<?xml version='1.0'?>\n<COLLADA version='1.4.1'>", Kind.MODEL),
    "x3d": (lambda: b"<?xml version='1.0'?>\n<X3D profile='Immersive'>", Kind.MODEL),
    "bvh": (lambda: b"HIERARCHY\nROOT Hips\n{\n", Kind.SKELETON),
    "settings": (lambda: b"[video]\nwidth = 1280\n; a comment\n", Kind.TEXT),
    "a script": (lambda: b"#!/usr/bin/env lua\nlocal x = 1\n", Kind.TEXT),
    "json": (lambda: json.dumps({"a": [1, 2, {"b": None}]}).encode(), Kind.TEXT),
    "a shader": (lambda: b"#version 330\nvoid main() { gl_Position = vec4(0.0); }\n", Kind.TEXT),
    "a translation": (('msgid "Lamp"\nmsgstr "L\u00e1mpara \u706f"\n').encode, Kind.TEXT),
    "utf-16": (lambda: "menu { title = 'Fr\u00fchst\u00fcck' }".encode("utf-16"), Kind.TEXT),
    "latin-1": (lambda: "Gr\u00fc\u00dfe aus der Tiefe, und noch ein l\u00e4ngerer Satz\n".encode("latin-1") * 4, Kind.TEXT),
    "xml": (lambda: b"<?xml version='1.0'?>\n<menu><item/></menu>", Kind.TEXT),
}  # fmt: skip


@pytest.mark.parametrize("what", MADE)
@pytest.mark.parametrize("name", ["plain", "odd.dat", "folder.d/odd.xyz"])
def test_each_kind_is_told_by_its_content(what: str, name: str) -> None:
    make, kind = MADE[what]
    assert classify((made := make())[:HEAD_BYTES], len(made), name, ()) is kind


def test_a_database_is_a_table_under_any_name(tmp_path: Path) -> None:
    assert classify(as_database(tmp_path)[:HEAD_BYTES], 8192, "save.sav", ()) is Kind.TABLE


@pytest.mark.parametrize(
    ("name", "kind"),
    [
        ("a.stl", Kind.MODEL),
        ("a.OBJ", Kind.MODEL),
        ("a.mtl", Kind.MATERIAL),
        ("a.csv", Kind.TABLE),
        ("a.s3m", Kind.SOUND),
        ("a.lua", Kind.TEXT),
        ("a.TGA", Kind.TEXTURE),
    ],
)
def test_what_has_no_mark_of_its_own_is_told_by_its_name(name: str, kind: Kind) -> None:
    assert classify(bytes(range(1, 64)), 63, name, ()) is kind


def test_a_package_of_one_model_is_a_model() -> None:
    assert classify(as_zip()[:HEAD_BYTES], 999, "bracket.3mf", ()) is Kind.MODEL


@given(st.binary(max_size=HEAD_BYTES), st.text(max_size=40))
def test_anything_has_some_kind(head: bytes, name: str) -> None:
    assert isinstance(classify(head, len(head), name, ()), Kind)


@given(st.text(st.characters(blacklist_categories=["Cs", "Cc"]), min_size=8, max_size=300))
def test_any_text_reads_as_text(text: str) -> None:
    assert looks_like_text(text.encode()[:HEAD_BYTES])
    assert looks_like_text(text.encode("utf-16"))


@given(st.integers(0, 2**32))
def test_noise_is_no_text(seed: int) -> None:
    noise = np.random.default_rng(seed).integers(0, 256, 400, dtype=np.uint8).tobytes()
    assert not looks_like_text(noise) or noise[:2] in {b"\xff\xfe", b"\xfe\xff"}


def test_a_cut_character_at_the_end_does_not_turn_text_into_noise() -> None:
    text = ("\u706f" * 400).encode()
    for cut in range(500, 512):
        assert looks_like_text(text[:cut])
