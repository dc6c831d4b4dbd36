"""Textures: block compression against other decoders, hostile headers, PNG out."""

import io
import struct

import imagecodecs
import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st
from PIL import Image as Pillow

from pruxel.core.base.errors import ErrorCode, InputError
from pruxel.core.images import png
from pruxel.core.images.decode import decode_image, image_info
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


def test_unknown_encoding_is_named() -> None:
    data = bytearray(dds(picture(8, 8), "BC7"))
    struct.pack_into("<I", data, 128, 95)
    with pytest.raises(InputError) as caught:
        image_info(bytes(data), "hdr.dds")
    assert caught.value.fault.code is ErrorCode.UNKNOWN_FORMAT
    assert caught.value.fault.found == "DXGI format 95"


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
