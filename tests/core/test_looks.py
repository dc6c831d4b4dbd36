"""Sounds, databases, pictures and kinds: against independent readers, and on damaged bytes."""

from __future__ import annotations

import io
import sqlite3
import struct
import wave
from pathlib import Path

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st
from PIL import Image as Pillow

from pruxel.core.base.errors import InputError
from pruxel.core.images.decode import decode_image, image_info
from pruxel.core.knowledge import databases
from pruxel.core.knowledge.catalogue import read_rows
from pruxel.core.knowledge.kinds import Kind, classify
from pruxel.core.native.sounds import read_wave
from pruxel.server.jobs.looking import as_text
from pruxel.server.jobs.pictures import small_picture


def sound(seconds: float = 1.0, rate: int = 22050, channels: int = 2) -> bytes:
    """A tone that swells from nothing, as WAV."""
    t = np.arange(int(seconds * rate)) / rate
    samples = (np.sin(t * 880 * np.pi) * t / seconds * 32000).astype("<i2")
    file = io.BytesIO()
    with wave.open(file, "wb") as out:
        out.setnchannels(channels)
        out.setsampwidth(2)
        out.setframerate(rate)
        out.writeframes(np.repeat(samples[:, None], channels, axis=1).tobytes())
    return file.getvalue()


def test_a_sound_that_ends_early_says_so() -> None:
    whole = sound()
    assert read_wave(memoryview(whole), "tone.wav", 20).whole
    cut = read_wave(memoryview(whole[: len(whole) // 2]), "tone.wav", 20)
    assert (cut.whole, round(cut.seconds, 2)) == (False, 0.5)
    streamed = whole[:4] + b"\xff\xff\xff\xff" + whole[8:]
    assert read_wave(memoryview(streamed), "tone.wav", 20).whole, "its writer did not know how long it would be"


def test_a_sound_has_the_shape_of_its_samples() -> None:
    found = read_wave(memoryview(sound()), "tone.wav", 50)
    assert (found.channels, found.rate, found.format) == (2, 22050, "WAV")
    assert found.seconds == pytest.approx(1.0, abs=0.01)
    high = found.peaks[:, 1]
    assert found.peaks.shape == (50, 2)
    np.testing.assert_allclose(high[5:], np.linspace(0, 0.977, 51)[6:], atol=0.06)
    assert (found.peaks[:, 0] <= found.peaks[:, 1]).all()


def test_more_pieces_than_samples_are_no_trouble() -> None:
    assert read_wave(memoryview(sound(0.002)), "click.wav", 400).peaks.shape == (400, 2)


@given(data=st.data())
def test_damaged_sounds_end_in_input_errors(data: st.DataObject) -> None:
    whole = bytearray(sound(0.05))
    for _ in range(data.draw(st.integers(1, 6))):
        whole[data.draw(st.integers(0, 60))] = data.draw(st.integers(0, 255))
    cut = data.draw(st.integers(0, len(whole)))
    try:
        found = read_wave(memoryview(bytes(whole[:cut])), "odd.wav", 20)
    except InputError as error:
        assert error.fault.file == "odd.wav"
    else:
        assert np.isfinite(found.peaks).all()


def database(tmp_path: Path) -> bytes:
    path = tmp_path / "goods.db"
    path.unlink(missing_ok=True)
    base = sqlite3.connect(path)
    base.execute('CREATE TABLE "odd ""name" (id INTEGER, "what it is" TEXT)')
    base.executemany('INSERT INTO "odd ""name" VALUES (?, ?)', [(n, f"thing {n}") for n in range(1234)])
    base.execute(
        "CREATE VIEW hostile AS WITH RECURSIVE r(n) AS (SELECT 1 UNION ALL SELECT n + 1 FROM r) SELECT n FROM r"
    )
    base.commit()
    base.close()
    return path.read_bytes()


def test_a_database_says_what_it_holds(tmp_path: Path) -> None:
    rows = read_rows(memoryview(database(tmp_path)), "goods.db")
    assert rows == [{"table": 'odd "name', "rows": "1,234", "columns": "id, what it is"}]


@pytest.mark.parametrize("keep", [0, 16, 100, 5000])
def test_a_damaged_database_is_refused(tmp_path: Path, keep: int) -> None:
    whole = database(tmp_path)
    broken = whole[:keep].ljust(keep + 200, b"\xa5")
    with pytest.raises(InputError) as caught:
        databases.tables_of(memoryview(broken), "goods.db")
    assert caught.value.fault.file == "goods.db"
    assert caught.value.fault.hint


@pytest.mark.parametrize(
    ("ending", "mode"),
    [("gif", "P"), ("tiff", "RGBA"), ("tiff", "I;16"), ("ppm", "RGB"), ("pgm", "L"), ("qoi", "RGBA"), ("pcx", "RGB"),
     ("ico", "RGBA"), ("webp", "RGBA"), ("bmp", "RGB"), ("png", "LA"), ("png", "I;16")],
)  # fmt: skip
def test_pictures_of_every_format_are_as_another_reader_sees_them(ending: str, mode: str) -> None:
    rng = np.random.default_rng(3)
    texels = rng.integers(0, 255, (16, 16, 4)).astype(np.uint8)
    if mode == "I;16":
        deep = (texels[..., 0].astype(np.uint16) << 8) | texels[..., 1]
        image, expected = Pillow.fromarray(deep), np.repeat((deep / 257).round().astype(np.uint8)[..., None], 3, axis=2)
    else:
        image = Pillow.fromarray(texels).convert(mode)
        expected = np.asarray(image.convert("RGB"))
    file = io.BytesIO()
    options = {"sizes": [(16, 16)]} if ending == "ico" else {"lossless": True} if ending == "webp" else {}
    image.save(file, {"pgm": "ppm"}.get(ending, ending), **options)
    found = decode_image(file.getvalue(), f"t.{ending}")
    seen = found.rgba[..., 3] > 0
    assert np.abs(found.rgba[..., :3][seen].astype(int) - expected[seen]).max() <= 1
    header = image_info(file.getvalue(), f"t.{ending}")
    assert (header.width, header.height) == (16, 16)
    assert classify(file.getvalue()[:512], len(file.getvalue()), f"t.{ending}", ()) is Kind.TEXTURE


@pytest.mark.parametrize("shape", [(1, 1), (1, 255), (255, 1), (216, 216), (217, 5), (3000, 2)])
def test_small_pictures_of_any_shape(shape: tuple[int, int]) -> None:
    rgba = np.full((*shape, 4), 200, np.uint8)
    rgba[..., 3] = 255
    small = small_picture(rgba)
    assert 1 <= small.shape[0] <= 216
    assert 1 <= small.shape[1] <= 216
    assert (small == (200, 200, 200, 255)).all()


def test_what_cannot_be_seen_does_not_colour_what_can() -> None:
    rgba = np.zeros((432, 432, 4), np.uint8)
    rgba[::2, ::2] = (250, 10, 10, 255)
    small = small_picture(rgba)
    assert (np.abs(small[..., :3].astype(int) - (250, 10, 10)) <= 2).all()
    assert abs(int(small[..., 3].mean()) - 64) <= 1


@pytest.mark.parametrize(
    ("head", "name", "kind"),
    [
        (b"RIFF\x00\x00\x00\x00WAVEfmt ", "x", Kind.SOUND),
        (b"RIFF\x00\x00\x00\x00WEBPVP8L", "x", Kind.TEXTURE),
        (b"RIFF\x00\x00\x00\x00AVI LIST", "x.dat", Kind.VIDEO),
        (b"OggS\x00\x02", "a.ogg", Kind.SOUND),
        (b"\x89PNG\r\n\x1a\n", "picture.without.ending.of.its.kind", Kind.TEXTURE),
        (b"SQLite format 3\x00", "save", Kind.TABLE),
        (b"\x1aE\xdf\xa3", "v", Kind.VIDEO),
        (b"wOF2\x00\x01\x00\x00", "f.bin", Kind.FONT),
        (b"void main() {\n  gl_FragColor = vec4(1.0);\n}\n", "thing.weird", Kind.TEXT),
        ("größer als nötig\n".encode(), "words.xyz", Kind.TEXT),
        (b"\x00\x01\x02\x03" * 16, "blob.xyz", Kind.UNKNOWN),
        (struct.pack("<4sI", b"glTF", 2), "m", Kind.MODEL),
    ],
)
def test_kinds_are_told_by_what_is_inside(head: bytes, name: str, kind: Kind) -> None:
    assert classify(head, len(head), name, ()) is kind


@pytest.mark.parametrize(
    ("data", "text"),
    [
        (b"plain", "plain"),
        (b"\xef\xbb\xbfmarked", "marked"),
        ("wide".encode("utf-16"), "wide"),
        ("größe".encode("latin-1"), "größe"),
        ("halb ü".encode()[:-1], "halb "),
        (b"a\0b\x1b", "a␀b␛"),
    ],
)
def test_any_bytes_are_shown_as_text(data: bytes, text: str) -> None:
    assert as_text(data) == text
