"""One way in for every image: by its magic bytes, then by its name."""

from __future__ import annotations

from pruxel.core.base.arrays import Bytes
from pruxel.core.base.errors import ErrorCode, InputError
from pruxel.core.base.limits import Limits
from pruxel.core.images import dds, ktx, light
from pruxel.core.images.pixels import ImageInfo, Pixels
from pruxel.core.native import pictures

_DEFAULT = Limits()
_MEDIA = {
    "DDS": "image/vnd-ms.dds",
    "PNG": "image/png",
    "JPEG": "image/jpeg",
    "TGA": "image/x-tga",
    "WEBP": "image/webp",
    "BMP": "image/bmp",
    "GIF": "image/gif",
    "TIFF": "image/tiff",
    "PPM": "image/x-portable-anymap",
    "ICO": "image/vnd.microsoft.icon",
    "QOI": "image/qoi",
    "PCX": "image/x-pcx",
    "PSD": "image/x-psd",
    "KTX": "image/ktx2",
    "HDR": "image/vnd.radiance",
    "EXR": "image/x-exr",
}
_MAGIC = (
    (b"\x89PNG\r\n\x1a\n", "PNG"),
    (b"\xff\xd8\xff", "JPEG"),
    (b"GIF87a", "GIF"),
    (b"GIF89a", "GIF"),
    (b"II*\x00", "TIFF"),
    (b"MM\x00*", "TIFF"),
    (b"qoif", "QOI"),
    (b"8BPS", "PSD"),
    (ktx.MAGIC_1, "KTX"),
    (ktx.MAGIC_2, "KTX"),
    (light.EXR_MAGIC, "EXR"),
    *((magic, "HDR") for magic in light.HDR_MAGICS),
)
# What everyday programs for pictures do not read.
_OWN = {"DDS": dds, "KTX": ktx, "HDR": light, "EXR": light}
# Formats whose first bytes are too short to tell them by alone: the name must agree.
_MAGIC_AND_NAME = (
    (b"BM", (".bmp",), "BMP"),
    (b"P", (".ppm", ".pgm", ".pbm", ".pnm"), "PPM"),
    (b"\x00\x00\x01\x00", (".ico",), "ICO"),
    (b"\x0a", (".pcx",), "PCX"),
)


def encoding_of(data: Bytes, name: str) -> str | None:
    """The image format by its first bytes, TGA (which has no magic) by its name; None for no image we decode."""
    head, ending = bytes(data[:12]), name.lower()
    if head.startswith(dds.MAGIC):
        return "DDS"
    if head.startswith(b"RIFF") and head[8:12] == b"WEBP":
        return "WEBP"
    for magic, found in _MAGIC:
        if head.startswith(magic):
            return found
    for magic, endings, found in _MAGIC_AND_NAME:
        if head.startswith(magic) and ending.endswith(endings):
            return found
    return "TGA" if ending.endswith(".tga") else None


def media_type(data: Bytes, name: str) -> str:
    """The media type, `application/octet-stream` when unknown."""
    return _MEDIA.get(encoding_of(data, name) or "", "application/octet-stream")


def _known(data: Bytes, name: str) -> str:
    found = encoding_of(data, name)
    if found is None:
        raise InputError(
            ErrorCode.UNKNOWN_FORMAT,
            "this is not an image that can be decoded",
            file=name,
            offset=0,
            expected=", ".join(_MEDIA),
            found=f"bytes {bytes(data[:8]).hex(' ')}",
        )
    return found


def decode_image(data: Bytes, name: str, limits: Limits = _DEFAULT) -> Pixels:
    """Decode any supported image; raises `InputError`."""
    found, view = _known(data, name), memoryview(data)
    if found in _OWN:
        return _OWN[found].decode(view, name, limits)
    return pictures.decode(view, name, found, limits)


def image_info(data: Bytes, name: str, limits: Limits = _DEFAULT) -> ImageInfo:
    """Read the header of any supported image; raises `InputError`."""
    found, view = _known(data, name), memoryview(data)
    if found in _OWN:
        return _OWN[found].info(view, name, limits)
    return pictures.info(view, name, found, limits)
