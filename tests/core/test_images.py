"""Textures: block compression against other decoders, hostile headers, PNG out."""

import base64
import io
import random
import struct
import zlib
from pathlib import Path

import etcpak
import imagecodecs
import numpy as np
import OpenEXR
import pytest
import texture2ddecoder
import zstandard
from hypothesis import given, settings
from hypothesis import strategies as st
from PIL import Image as Pillow

from pruxel.core.base.errors import ErrorCode, InputError
from pruxel.core.base.limits import Limits
from pruxel.core.images import dds as dds_in
from pruxel.core.images import png
from pruxel.core.images.decode import decode_image, image_info
from pruxel.core.images.encode import Encoding, encode, mips, within
from pruxel.core.images.encode import dds as dds_of
from pruxel.core.images.ktx import MAGIC_1, MAGIC_2
from pruxel.core.native.blocks import block_bytes, decode_blocks
from pruxel.core.scene.images import ChannelMix, ChannelPick, EncodedImage, Image
from pruxel.core.scene.render_images import texels
from pruxel.sample.blocks import dds
from pruxel.sample.files import tga_bytes
from tests.scenes import gradient


def picture(height: int = 32, width: int = 48) -> np.ndarray:
    y, x = np.mgrid[0:height, 0:width]
    return np.stack([x * 5, y * 7, 255 - x * 4, 100 + y * 4], axis=-1).astype(np.uint8)


@pytest.mark.parametrize(("codec", "most"), [("BC1", 9), ("BC3", 9), ("BC7", 5), ("RGBA8", 0)])
def test_dds_decodes_near_the_original_and_as_pillow_does(codec: str, most: float) -> None:
    image = picture()
    data = dds(image, codec)
    found = decode_image(data, "t.dds")
    channels = 3 if codec == "BC1" else 4
    difference = np.abs(found.rgba[..., :channels].astype(int) - image[..., :channels])
    assert difference.mean() <= most
    assert found.info.mips == 4
    with Pillow.open(io.BytesIO(data)) as other:
        twin = np.asarray(other.convert("RGBA")).astype(int)
    assert np.abs(found.rgba[..., :channels].astype(int) - twin[..., :channels]).max() <= 1


def test_bc5_rebuilds_the_third_channel() -> None:
    normal = np.full((8, 8, 4), (128 + 60, 128 - 40, 0, 255), np.uint8)
    found = decode_image(dds(normal, "BC5"), "n.dds").rgba
    vector = found[..., :3].astype(float) / 127.5 - 1
    assert np.allclose(np.linalg.norm(vector, axis=2), 1, atol=0.02)


@pytest.mark.parametrize("bits", [16, 24, 32])
def test_plain_dds_follows_its_masks(bits: int) -> None:
    masks = {16: (0xF800, 0x7E0, 0x1F, 0), 24: (0xFF0000, 0xFF00, 0xFF, 0), 32: (0xFF, 0xFF00, 0xFF0000, 0xFF000000)}[
        bits
    ]
    color = sum(mask for mask in (masks[0], masks[2]))
    head = struct.pack("<4s7I44x", b"DDS ", 124, 0x1007, 2, 3, 0, 0, 1)
    head += struct.pack("<II4sI4I", 32, 0x41 if bits == 32 else 0x40, b"", bits, *masks) + bytes(20)
    rgba = decode_image(head + color.to_bytes(bits // 8, "little") * 6, "p.dds").rgba
    assert rgba.shape == (2, 3, 4)
    assert rgba[0, 0].tolist() == [255, 0, 255, 0 if bits == 32 else 255]


@given(st.binary(max_size=200), st.integers(0, 148))
def test_damaged_textures_end_in_input_errors(noise: bytes, cut: int) -> None:
    whole = dds(picture(8, 8), "BC7")
    for data in (whole[:cut], whole[:cut] + noise, b"DDS " + noise, b"\x89PNG\r\n\x1a\n" + noise):
        try:
            decode_image(data, "x.dds")
        except InputError as error:
            assert error.fault.file == "x.dds"


def test_bc6_shows_as_pillow_shows_it() -> None:
    body = np.random.default_rng(5).integers(0, 256, 16 * 8, np.uint8).tobytes()
    data = bytearray(dds(picture(16, 8), "BC7")[:148]) + body
    struct.pack_into("<I", data, 128, 95)
    struct.pack_into("<I", data, 28, 1)
    found = decode_image(bytes(data), "sky.dds").rgba[..., :3].astype(int)
    with Pillow.open(io.BytesIO(bytes(data))) as other:
        twin = np.asarray(other.convert("RGB")).astype(int)
    assert np.abs(found - twin).max() <= 1


def test_unknown_encoding_is_named() -> None:
    data = bytearray(dds(picture(8, 8), "BC7"))
    struct.pack_into("<I", data, 128, 2)
    with pytest.raises(InputError) as caught:
        image_info(bytes(data), "hdr.dds")
    assert caught.value.fault.code is ErrorCode.UNKNOWN_FORMAT
    assert caught.value.fault.found == "DXGI format 2"


@pytest.mark.parametrize("channels", [1, 2, 3, 4])
@pytest.mark.parametrize("size", [(1, 1), (7, 300), (700, 900)])
def test_png_reads_back_elsewhere(channels: int, size: tuple[int, int]) -> None:
    pixels = np.random.default_rng(3).integers(0, 255, (*size, channels), dtype=np.uint8)
    again = imagecodecs.png_decode(png.encode(pixels))
    np.testing.assert_array_equal(again.reshape(pixels.shape), pixels)


def test_tga_comes_the_right_way_up() -> None:
    image = picture(6, 5)
    np.testing.assert_array_equal(decode_image(tga_bytes(image), "a.tga").rgba[..., :3], image[..., :3])


def test_channel_mixes_pick_invert_and_fit() -> None:
    source = gradient().content
    assert isinstance(source, EncodedImage)
    small = EncodedImage(png.encode(np.full((2, 2, 3), 40, np.uint8)), "image/png")
    mix = ChannelMix(ChannelPick(source, "b"), ChannelPick(source, "r", inverted=True), 0.5, ChannelPick(small, "g"))
    base, out = texels(gradient()), texels(Image("mix", mix))
    np.testing.assert_array_equal(out[..., 0], base[..., 2])
    np.testing.assert_array_equal(out[..., 1], 255 - base[..., 0])
    assert set(out[..., 2].ravel()) == {128}
    assert set(out[..., 3].ravel()) == {40}


@pytest.mark.parametrize(
    ("encoding", "worst"), [("png", 0), ("tga", 0), ("webp", 0), ("jpeg", 6), ("dds", 9), ("dds-bc7", 5)]
)
@pytest.mark.parametrize("veiled", [False, True])
def test_what_is_written_shows_the_same_elsewhere(encoding: Encoding, worst: float, veiled: bool) -> None:
    """Read by Pillow, which shares nothing with what wrote it; sizes that are no multiple of a block too."""
    for size in ((32, 48), (7, 13), (1, 1)):
        image = picture(*size)
        image[..., 3] = image[..., 3] if veiled else 255
        media, data = encode(image, encoding)
        assert media == ("image/png" if encoding == "jpeg" and veiled else media)
        with Pillow.open(io.BytesIO(data)) as other:
            twin = np.asarray(other.convert("RGBA")).astype(int)
        assert twin.shape == image.shape
        assert np.abs(twin - image).mean() <= worst
        ours = decode_image(data, f"t.{'tga' if encoding == 'tga' else 'bin'}").rgba.astype(int)
        assert np.abs(ours - twin).max() <= 1


@pytest.mark.parametrize("blocks", ["BC1", "BC3", "BC4", "BC5", "BC7"])
def test_dds_holds_every_mip_down_to_one_texel(blocks: str) -> None:
    image = picture(24, 40) // 4 + 90
    image[..., 3] = 255 if blocks == "BC1" else image[..., 3]
    data = dds_of(image, blocks)
    found = image_info(data, "t.dds")
    assert (found.width, found.height, found.encoding, found.mips) == (40, 24, blocks, 6)
    channels = {"BC1": 3, "BC4": 1, "BC5": 2}.get(blocks, 4)
    for level, wanted in enumerate(mips(image)):
        shown = dds_in.decode(memoryview(data), "t.dds", Limits(), level).rgba
        assert shown.shape == wanted.shape
        assert np.abs(shown[..., :channels].astype(int) - wanted[..., :channels]).mean() < 12
    with pytest.raises(InputError):
        dds_in.decode(memoryview(data), "t.dds", Limits(), 6)


def test_pictures_are_made_smaller_in_proportion_and_each_channel_alone() -> None:
    """What alpha hides is not lost: in games alpha is often shine, not a veil."""
    image = np.zeros((64, 32, 4), np.uint8)
    image[..., 0] = 200
    small = within(image, 16)
    assert small.shape == (16, 8, 4)
    assert set(small[..., 0].ravel()) == {200}
    assert within(image, 64) is image


def ktx_1(internal: int, width: int, height: int, body: bytes, order: str = "<", form: int = 0) -> bytes:
    kind = 0x1401 if form else 0
    head = struct.pack(f"{order}13I", 0x04030201, kind, 1, form, internal, 0, width, height, 0, 0, 1, 1, 8)
    return MAGIC_1 + head + b"any kind" + struct.pack(f"{order}I", len(body)) + body


def ktx_2(number: int, width: int, height: int, body: bytes, packing: int = 0) -> bytes:
    packed = {2: zstandard.ZstdCompressor().compress, 3: zlib.compress}.get(packing, bytes)(body)
    head = struct.pack("<9I", number, 1, width, height, 0, 0, 1, 1, packing) + bytes(32)
    return MAGIC_2 + head + struct.pack("<3Q", 104, len(packed), len(body)) + packed


PACKED = {
    "BC1": (0x83F0, 131, etcpak.compress_bc1),
    "BC3": (0x83F3, 137, etcpak.compress_bc3),
    "ETC1": (0x8D64, None, etcpak.compress_etc1_rgb),
    "ETC2": (0x9274, 147, etcpak.compress_etc2_rgb),
    "ETC2A8": (0x9278, 151, etcpak.compress_etc2_rgba),
}


@pytest.mark.parametrize("name", PACKED)
@pytest.mark.parametrize("packing", [0, 2, 3])
def test_ktx_of_both_kinds_shows_what_was_packed(name: str, packing: int) -> None:
    first, second, pack = PACKED[name]
    image = picture(24, 32)
    image[..., 3] = image[..., 3] if name in {"BC3", "ETC2A8"} else 255
    body = pack(image.tobytes(), 32, 24)
    files = [ktx_1(first, 32, 24, body), ktx_1(first, 32, 24, body, ">")]
    files += [] if second is None else [ktx_2(second, 32, 24, body, packing)]
    for data in files:
        found = decode_image(data, "a.thing")
        assert image_info(data, "a.thing").encoding == name
        assert np.abs(found.rgba.astype(int) - image).mean() < 14
        for cut in (11, 40, 70, len(data) - 1):
            with pytest.raises(InputError):
                decode_image(data[:cut], "a.ktx")


def test_ktx_of_plain_channels_and_of_astc() -> None:
    image = picture(5, 3)
    rows = np.zeros((5, 12), np.uint8)
    rows[:, :9] = image[..., :3].reshape(5, 9)
    for data, channels in (
        (ktx_1(0x8051, 3, 5, rows.tobytes(), form=0x1907), 3),
        (ktx_2(23, 3, 5, image[..., :3].tobytes(), 2), 3),
        (ktx_2(37, 3, 5, image.tobytes()), 4),
        (ktx_2(44, 3, 5, image[..., [2, 1, 0, 3]].tobytes()), 4),
    ):
        np.testing.assert_array_equal(decode_image(data, "a.ktx").rgba[..., :channels], image[..., :channels])
    # A block of one colour (ASTC specification, "void-extent"): 16 bits a channel.
    block = struct.pack("<Q4H", 0xFFFFFFFFFFFFFDFC, 0xFFFF, 0x8000, 0, 0xFFFF)
    assert decode_image(ktx_2(157, 4, 4, block), "a").rgba[0, 0].tolist() == [255, 128, 0, 255]
    assert texture2ddecoder.decode_astc(block, 4, 4, 4, 4)[:4] == bytes([0, 128, 255, 255])


# 20 x 12 texels by the reference encoder: red along x, green against it, blue below, half see-through at the right.
BASIS = {
    "ETC1S": (
        "q0tUWCAyMLsNChoKAAAAAAEAAAAUAAAADAAAAAAAAAAAAAAAAQAAAAUAAAABAAAAyAAAADwAAAAEAQAAJAAAACgBAAAAAAAAgAEAAAAAAADDAgAAAAAAAB"
        "oAAAAAAAAAAAAAAAAAAAC2AgAAAAAAAA0AAAAAAAAAAAAAAAAAAACwAgAAAAAAAAYAAAAAAAAAAAAAAAAAAACsAgAAAAAAAAQAAAAAAAAAAAAAAAAAAACo"
        "AgAAAAAAAAQAAAAAAAAAAAAAAAAAAAA8AAAAAAAAAAIAOACjAQIAAwMAAAgIAAAAAAAAAAA/AAAAAAAAAAAA/////0AAPw8AAAAAAAAAAP////8fAAAAS1"
        "RYd3JpdGVyAEJhc2lzIFVuaXZlcnNhbCAyLjUwAAAhABYAcgAAAFQAAABCAAAAAAAAAAAAAAAAAAAADgAAAA4AAAAMAAAAAAAAAAAAAAAHAAAABwAAAAYA"
        "AAAAAAAAAAAAAAMAAAADAAAAAwAAAAAAAAAAAAAAAgAAAAIAAAACAAAAAAAAAAAAAAACAAAAAgAAAAIAAAAbQBwAAQCAgOBPR29QFgICPIAQAEEYeM7dCi"
        "yJCoTz4wCiAAAAIAjDrkFvsRzKQAAmAAwAIAgCsENLeO8HCEhIKMVbYhIACkLYuwsISEgoOX9nO8DD4b803Kpnk7TXJZtLW7L7LFv7GqN5/Pv9aS61zA3o"
        "B94EDIAwELx7aMJQktbJh/G331mRQGqAESEIYMFFhxeAoD48PDzUWuuSUloBALjI98+5FKB3YJ6JW0Hs7u4iIiRpZhYRQZIiIgAOVT2frbXpGwMBwZwAAg"
        "CAAAAYQkCFdZDBYHP3OoBJAAIABAMA0NHeK0mxXQGNJAaACJYZ83rra8XC0hFK4h4CgAkAAAAAAAAEEAAKABoAXga+AvYpAc6xDO4/LxFIggaZkWuexwSG"
        "wC90jXX7vB5LVRA0AJHAGahXqwVpmyU6BA=="
    ),
    "UASTC": (
        "q0tUWCAyMLsNChoKAAAAAAEAAAAUAAAADAAAAAAAAAAAAAAAAQAAAAUAAAACAAAAyAAAACwAAAD0AAAAJAAAAAAAAAAAAAAAAAAAAAAAAADcAQAAAAAAAL"
        "AAAAAAAAAA8AAAAAAAAABzAQAAAAAAAGkAAAAAAAAAYAAAAAAAAABKAQAAAAAAACkAAAAAAAAAIAAAAAAAAAAxAQAAAAAAABkAAAAAAAAAEAAAAAAAAAAY"
        "AQAAAAAAABkAAAAAAAAAEAAAAAAAAAAsAAAAAAAAAAIAKACmAQIAAwMAABAAAAAAAAAAAAB/AwAAAAAAAAAA/////x8AAABLVFh3cml0ZXIAQmFzaXMgVW"
        "5pdmVyc2FsIDIuNTAAACi1L/0gEIEAADcxlPJ1PwoBAAAAAAAAAAAotS/9IBCBAAB/g4YlGamvHiVlN2BFRUUFKLUv/SAgAQEAAGlUrmKdwAUAIYipzO3M"
        "7R7SQZK3zXWBDccB0Lb///8otS/9IGABAwAo6XCCIVxARmxEIQBlRO3MKLEToHI3Q45qdyAzZHfs/yiBcABnkUIqf3cxM3V3/f8g6eC9IETeRdA20DbQNt"
        "A2BICaNfK23gXT/tD+0P7Q/l+DDeExtsuTsrBYW+Xv7w8otS/9IPA9BQAkCHuBwWMAUEgAUPp7gcVjwGirFECcJ/G3A4QQuhTomOd9OgJIWHZU5aAAm4Tl"
        "4BEyEDLc/tz+m4Lln4KFqJlfZiAA8j8ZBaWvDyjpkCd8OsIxEwjokCfkoMD1AhmA5H8bGVlOTk4OAAAA9QIChup5FRRAvFHxt9+FuBF+Ot5JuBHmoNwPIB"
        "ADC7YNs+jYZXTzljZfTEOeZS/SNIw1AuD6MNCgmIaDBA=="
    ),
}


@pytest.mark.parametrize("how", BASIS)
def test_ktx2_packed_as_basis_universal_shows_what_was_packed(how: str) -> None:
    data = base64.b64decode(BASIS[how])
    y, x = np.mgrid[0:12, 0:20]
    image = np.stack([x * 12, 255 - x * 12, np.where(y < 6, 0, 200), np.where(x < 10, 255, 100)], axis=-1)
    assert (image_info(data, "a.ktx2").encoding, image_info(data, "a.ktx2").width) == ("Basis", 20)
    found = decode_image(data, "a.ktx2").rgba.astype(int)
    assert np.abs(found - image).mean() < (20 if how == "ETC1S" else 3)
    damaged = bytearray(data)
    damaged[0x50:0x68] = b"\xff" * 24
    for wrong in (data[:300], data[:-1], bytes(damaged), ktx_2(0, 4, 4, bytes(16), 1)):
        with pytest.raises(InputError, match="Basis"):
            decode_image(wrong, "a.ktx2")


@given(st.sampled_from(sorted(BASIS)), st.data())
@settings(max_examples=25, deadline=None)
def test_changed_basis_textures_are_used_or_refused(how: str, drawn: st.DataObject) -> None:
    data = bytearray(base64.b64decode(BASIS[how]))
    for _ in range(drawn.draw(st.integers(1, 4))):
        data[drawn.draw(st.integers(12, len(data) - 1))] = drawn.draw(st.integers(0, 255))
    try:
        assert decode_image(bytes(data), "a.ktx2", Limits(image_side=1024)).rgba.shape[2] == 4
    except InputError as error:
        assert error.fault.file == "a.ktx2"


@pytest.mark.parametrize(("encoding", "seed"), [("ASTC 4x4", 140722156), ("ASTC 6x5", 1), ("ETC2A8", 2), ("BC6", 3)])
def test_noise_in_the_place_of_blocks_ends_no_more_than_its_own_reading(encoding: str, seed: int) -> None:
    noise = random.Random(seed).randbytes(block_bytes(encoding, 190, 243))
    try:
        assert decode_blocks(memoryview(noise), encoding, 190, 243, "a.ktx").shape == (243, 190, 4)
    except InputError as error:
        assert error.fault.file == "a.ktx"
        assert "brings the reader down" in str(error)


def test_without_node_basis_textures_say_what_is_missing(monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setenv("PATH", "/nowhere")
    with pytest.raises(InputError, match=r"Basis.*Node"):
        decode_image(base64.b64decode(BASIS["ETC1S"]), "a.ktx2")


def test_pictures_of_light_are_shown_as_a_display_would(tmp_path: Path) -> None:
    linear = np.zeros((6, 5, 3), np.float32)
    linear[..., 0], linear[..., 1], linear[..., 2] = 1.0, 0.2140411, 1.6
    hdr = imagecodecs.rgbe_encode(linear)
    head = b"#?RADIANCE\nFORMAT=32-bit_rle_rgbe\n\n-Y 6 +X 5\n"
    hdr = hdr if hdr.startswith(b"#?") else head + hdr
    file = tmp_path / "a.exr"
    with OpenEXR.File({"type": OpenEXR.scanlineimage}, {"RGB": linear}) as made:
        made.write(str(file))
    for data, kind in ((hdr, "HDR"), (file.read_bytes(), "EXR")):
        found = decode_image(data, "sky.any")
        assert (found.info.encoding, found.rgba.shape) == (kind, (6, 5, 4))
        assert np.abs(found.rgba[0, 0].astype(int) - [255, 127, 255, 255]).max() <= 3
        for cut in range(4, len(data) - 1, 40):
            try:
                decode_image(data[:cut], "sky.any")
            except InputError as error:
                assert error.fault.file == "sky.any"
