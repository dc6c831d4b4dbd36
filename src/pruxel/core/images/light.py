"""Pictures of light, Radiance HDR and OpenEXR, as they show on a display: what is brighter than white is white."""

from __future__ import annotations

import io
import re
import struct
import sys

import imagecodecs
import numpy as np

from pruxel.core.base.arrays import AnyArray
from pruxel.core.base.errors import ErrorCode, InputError
from pruxel.core.base.limits import Limits
from pruxel.core.geometry.colors import srgb_from_linear
from pruxel.core.images.pixels import ImageInfo, Pixels, check_size
from pruxel.core.native.processes import NoAnswer, answer_of

EXR_MAGIC = b"\x76\x2f\x31\x01"
HDR_MAGICS = (b"#?RADIANCE", b"#?RGBE")
_HEAD = 65_536
# The line of a Radiance picture that says its size (Ward, "Real Pixels", Graphics Gems II).
_SIZE = re.compile(rb"\n([-+][XY]) (\d{1,9}) ([-+][XY]) (\d{1,9})\n")


def info(data: memoryview, name: str, limits: Limits) -> ImageInfo:
    """Read the header only."""
    if bytes(data[:4]) == EXR_MAGIC:
        return _exr_info(data, name, limits)
    width, height = _hdr_size(data, name, limits)
    return ImageInfo(width, height, "HDR", has_alpha=False)


def decode(data: memoryview, name: str, limits: Limits) -> Pixels:
    """The picture as sRGB; raises `InputError`."""
    about = info(data, name, limits)
    linear = _exr(data, name, about) if about.encoding == "EXR" else _hdr(data, name, about)
    linear = np.nan_to_num(linear, nan=0.0, posinf=1.0, neginf=0.0).clip(0, 1)
    rgba = np.full((about.height, about.width, 4), 255, np.uint8)
    rgba[..., :3] = np.rint(srgb_from_linear(linear[..., :3].astype(np.float32)) * 255)
    if linear.shape[2] == 4:
        rgba[..., 3] = np.rint(linear[..., 3] * 255)
    return Pixels(rgba, about)


def _bad(name: str, kind: str, error: object) -> InputError:
    return InputError(ErrorCode.MALFORMED, f"this is not a readable {kind} picture ({error})", file=name)


def _hdr_size(data: memoryview, name: str, limits: Limits) -> tuple[int, int]:
    found = _SIZE.search(bytes(data[:_HEAD]))
    if found is None or {found[1][1:], found[3][1:]} != {b"X", b"Y"}:
        raise _bad(name, "HDR", "no line says its size")
    first, second = int(found[2]), int(found[4])
    height, width = (first, second) if found[1][1:] == b"Y" else (second, first)
    check_size(name, width, height, limits)
    return width, height


def _hdr(data: memoryview, name: str, about: ImageInfo) -> AnyArray:
    try:
        linear: AnyArray = imagecodecs.rgbe_decode(bytes(data), header=True)
    except (imagecodecs.RgbeError, ValueError) as error:
        raise _bad(name, "HDR", error) from None
    if linear.shape[:2] != (about.height, about.width):
        raise _bad(name, "HDR", "it is stored on its side")
    return linear


def _exr_info(data: memoryview, name: str, limits: Limits) -> ImageInfo:
    """Size and channels by the attributes of the head: name, type, length, value (OpenEXR, "File Layout")."""
    head = bytes(data[:_HEAD])
    window = _attribute(head, b"dataWindow", b"box2i")
    channels = _attribute(head, b"channels", b"chlist")
    if window is None or len(window) != 16 or channels is None:
        raise _bad(name, "EXR", "its head says no size or no channels")
    left, top, right, bottom = struct.unpack("<4i", window)
    width, height = right - left + 1, bottom - top + 1
    check_size(name, width, height, limits)
    return ImageInfo(width, height, "EXR", channels.startswith(b"A\0") or b"\0A\0" in channels)


def _attribute(head: bytes, key: bytes, kind: bytes) -> bytes | None:
    mark = key + b"\0" + kind + b"\0"
    at = head.find(mark)
    if at < 0 or at + len(mark) + 4 > len(head):
        return None
    start = at + len(mark) + 4
    return head[start : start + int.from_bytes(head[start - 4 : start], "little")]


def _exr(data: memoryview, name: str, about: ImageInfo) -> AnyArray:
    """Decoded by a process of its own, which a damaged file may bring down."""
    try:
        answer = answer_of([sys.executable, "-m", "pruxel.core.native.light_child"], data)
        linear: AnyArray = np.load(io.BytesIO(answer), allow_pickle=False)
    except (NoAnswer, ValueError, EOFError):
        raise _bad(name, "EXR", "its pixels do not decode") from None
    if linear.shape[:2] != (about.height, about.width):
        raise _bad(name, "EXR", "its channels are of another size")
    return linear
