"""Known formats found in bytes of no format, and left alone where they only look like it."""

from pathlib import Path

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from pruxel.core.base.context import Context
from pruxel.core.base.errors import InputError
from pruxel.core.formats.gltf.options import GltfOptions
from pruxel.core.images import png
from pruxel.core.images.decode import decode_image
from pruxel.core.sources import signatures
from pruxel.core.sources.carve import Carved, CarvedSource, carve
from pruxel.core.sources.origin import origin_of_file
from pruxel.core.sources.stack import Stack
from tests.conftest import CRAB

CONTEXT = Context()


def test_the_dump_gives_all_it_holds(game: Path) -> None:
    data = memoryview((game / "dev/dump.bin").read_bytes())
    hits = carve(data, "dump.bin", CONTEXT).hits
    assert [h.format for h in hits] == ["PNG", "JPEG", "DDS", "TGA", "zlib stream", "OBJ text", "ZIP", "RIFF"]
    for hit in hits:
        found = data[hit.offset : hit.offset + hit.size]
        if hit.kind == "texture":
            assert decode_image(found, hit.path).rgba.shape == (64, 64, 4)
    source = CarvedSource(origin_of_file(game / "dev/dump.bin"), hits)
    for entry in source.listing(CONTEXT).entries:
        assert len(source.read(entry.path, CONTEXT)) == entry.size
    obj = next(h for h in hits if h.format == "OBJ text")
    assert bytes(data[obj.offset : obj.offset + obj.size]).startswith(b"# a fin\n")


def test_a_range_narrows_the_search(game: Path) -> None:
    data = memoryview((game / "dev/dump.bin").read_bytes())
    every = carve(data, "dump.bin", CONTEXT).hits
    jpeg = every[1]
    assert [h.offset for h in carve(data, "d", CONTEXT, jpeg.offset, jpeg.offset + jpeg.size).hits] == [jpeg.offset]
    with pytest.raises(InputError, match="outside the bytes"):
        carve(data, "d", CONTEXT, 5, len(data) + 1)


def test_glb_and_dds_of_the_game_are_found_whole(stack: Stack, opener: object) -> None:
    from pruxel.core.formats.gltf import write_glb
    from pruxel.core.recipe.inputs import Opener

    assert isinstance(opener, Opener)
    glb = b"".join(bytes(p) for p in write_glb(opener.scene([CRAB], CONTEXT), "crab", GltfOptions(), CONTEXT)[0].pieces)
    dds = bytes(stack.read("tex/crab/crab_body_c.dds", CONTEXT))
    noise = np.random.default_rng(4).integers(0, 256, 5000, np.uint8).tobytes()
    hits = carve(memoryview(noise + glb + noise + dds + noise), "m", CONTEXT).hits
    sizes = {(h.format, h.offset): h.size for h in hits}
    assert sizes["glTF binary", 5000] == len(glb)
    assert sizes["DDS", 10000 + len(glb)] == len(dds)


@settings(deadline=None, max_examples=60)
@given(st.data())
def test_damaged_headers_never_escape(game: Path, data: st.DataObject) -> None:
    raw = bytearray((game / "dev/dump.bin").read_bytes())
    for _ in range(data.draw(st.integers(1, 40))):
        raw[data.draw(st.integers(0, len(raw) - 1))] = data.draw(st.integers(0, 255))
    cut = data.draw(st.integers(0, len(raw)))
    for hit in carve(memoryview(raw)[:cut], "x", CONTEXT).hits:
        assert hit.offset >= 0
        assert hit.offset + hit.size <= cut
        assert hit.size > 0


def test_noise_holds_nothing() -> None:
    noise = np.random.default_rng(11).integers(0, 256, 4 << 20, np.uint8)
    assert carve(memoryview(noise), "noise", CONTEXT) == Carved(())


_SIZE = 800_000
_STORED = b"\x78\x01\x00\xf5\xff\x0a\x00"  # zlib, then a stored block that holds the next of the kind
BEGINNINGS = {
    "PNG": b"\x89PNG\r\n\x1a\n\x00\x00\xff\xffIHDR",
    "JPEG": b"\xff\xd8\xff\xc0\x00\x02",
    "JPEG with a scan": b"\xff\xd8\xff\xc0\x00\x02\xff\xda\x00\x02",
    "DDS": b"DDS \x7c\x00\x00\x00",
    "KTX": b"\xabKTX 11\xbb\r\n\x1a\n\x01\x02\x03\x04" + b"\x01\x00\x00\x00" * 10 + b"\xff\xff\xff\xff",
    "KTX 2": b"\xabKTX 20\xbb\r\n\x1a\n",
    "TGA": b"TRUEVISION-XFILE.\x00",
    "TGA with headers": b"\x00\x00\x02" + bytes(9) + b"\x01\x00\x01\x00\x08\x00TRUEVISION-XFILE.\x00",
    "glTF": b"glTF\x02\x00\x00\x00",
    "ZIP": b"PK\x03\x04",
    "ZIP with ends": b"PK\x03\x04PK\x05\x06" + bytes(18),
    "RIFF": b"RIFF",
    "OBJ": b"v 1 2 3\n",
    "OBJ with a far face": b"v 1 2 3\n# \n",
    "zlib": b"\x78\x9c",
    "zlib in zlib": _STORED,
}


@pytest.mark.parametrize("beginning", BEGINNINGS.values(), ids=BEGINNINGS)
def test_bytes_full_of_beginnings_cost_a_few_readings(beginning: bytes, monkeypatch: pytest.MonkeyPatch) -> None:
    """What the measures look at is counted, not timed: it grows with the bytes, whatever they are."""
    spent: list[int] = []
    real = signatures.Work.spend

    def counted(work: signatures.Work, size: int) -> None:
        spent.append(size)
        real(work, size)

    monkeypatch.setattr(signatures.Work, "spend", counted)
    data = (beginning * (_SIZE // len(beginning)))[:_SIZE]
    found = carve(memoryview(data), "full", CONTEXT)
    assert sum(spent) <= (64 << 20) + 16 * _SIZE + 1_000_000
    assert len(spent) < 3_000_000
    assert all(hit.offset + hit.size <= _SIZE for hit in found.hits)


def test_what_is_given_up_on_is_said_and_the_others_go_on() -> None:
    """A hundred thousand beginnings of packed data in each other, and a picture behind them."""
    picture = png.encode(np.zeros((4, 4, 4), np.uint8))
    found = carve(memoryview(_STORED * 120_000 + picture), "full", CONTEXT)
    assert found.given_up == ("zlib stream",)
    assert [hit.format for hit in found.hits] == ["PNG"]
