"""One way in for every image: by its magic bytes, then by its name."""

from __future__ import annotations

from pruxel.core.base.arrays import Bytes
from pruxel.core.base.errors import ErrorCode, InputError
from pruxel.core.base.limits import Limits
from pruxel.core.images import dds
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
}


def encoding_of(data: Bytes, name: str) -> str | None:
    """The image format: DDS, PNG, JPEG, WEBP, BMP or TGA (which has no magic, only a name); None if none."""
    head = bytes(data[:12])
    if head.startswith(dds.MAGIC):
        return "DDS"
    if head.startswith(b"\x89PNG\r\n\x1a\n"):
        return "PNG"
    if head.startswith(b"\xff\xd8\xff"):
        return "JPEG"
    if head.startswith(b"RIFF") and head[8:12] == b"WEBP":
        return "WEBP"
    if name.lower().endswith(".tga"):
        return "TGA"
    if head.startswith(b"BM") and name.lower().endswith(".bmp"):
        return "BMP"
    return None


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
            expected="DDS, PNG, JPEG, WebP, BMP or TGA",
            found=f"bytes {bytes(data[:8]).hex(' ')}",
        )
    return found


def decode_image(data: Bytes, name: str, limits: Limits = _DEFAULT) -> Pixels:
    """Decode any supported image; raises `InputError`."""
    found, view = _known(data, name), memoryview(data)
    if found == "DDS":
        return dds.decode(view, name, limits)
    return pictures.decode(view, name, found, limits)


def image_info(data: Bytes, name: str, limits: Limits = _DEFAULT) -> ImageInfo:
    """Read the header of any supported image; raises `InputError`."""
    found, view = _known(data, name), memoryview(data)
    if found == "DDS":
        return dds.info(view, name, limits)
    return pictures.info(view, name, found, limits)
