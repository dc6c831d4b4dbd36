"""Known formats found in bytes of no format, and left alone where they only look like it."""

from pathlib import Path

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from pruxel.core.base.context import Context
from pruxel.core.base.errors import InputError
from pruxel.core.images.decode import decode_image
from pruxel.core.sources.carve import CarvedSource, carve
from pruxel.core.sources.origin import origin_of_file
from pruxel.core.sources.stack import Stack
from tests.conftest import CRAB

CONTEXT = Context()


def test_the_dump_gives_all_it_holds(game: Path) -> None:
    data = memoryview((game / "dev/dump.bin").read_bytes())
    hits = carve(data, "dump.bin", CONTEXT)
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
    every = carve(data, "dump.bin", CONTEXT)
    jpeg = every[1]
    assert [h.offset for h in carve(data, "d", CONTEXT, jpeg.offset, jpeg.offset + jpeg.size)] == [jpeg.offset]
    with pytest.raises(InputError, match="outside the bytes"):
        carve(data, "d", CONTEXT, 5, len(data) + 1)


def test_glb_and_dds_of_the_game_are_found_whole(stack: Stack, opener: object) -> None:
    from pruxel.core.formats.gltf import write_glb
    from pruxel.core.recipe.inputs import Opener

    assert isinstance(opener, Opener)
    glb = b"".join(bytes(p) for p in write_glb(opener.scene([CRAB], CONTEXT), "crab", CONTEXT)[0].pieces)
    dds = bytes(stack.read("tex/crab/crab_body_c.dds", CONTEXT))
    noise = np.random.default_rng(4).integers(0, 256, 5000, np.uint8).tobytes()
    hits = carve(memoryview(noise + glb + noise + dds + noise), "m", CONTEXT)
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
    for hit in carve(memoryview(raw)[:cut], "x", CONTEXT):
        assert hit.offset >= 0
        assert hit.offset + hit.size <= cut
        assert hit.size > 0


def test_noise_holds_nothing() -> None:
    noise = np.random.default_rng(11).integers(0, 256, 4 << 20, np.uint8)
    assert carve(memoryview(noise), "noise", CONTEXT) == []
