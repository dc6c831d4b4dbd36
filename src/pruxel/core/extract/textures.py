"""Textures of a layout → texels, or a picture of an open format."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Literal

import numpy as np

from pruxel.core.base.arrays import AnyArray, ByteArray
from pruxel.core.base.context import Context
from pruxel.core.base.limits import Limits
from pruxel.core.binary.records import Record
from pruxel.core.binary.schema import ExpressionText, Strict
from pruxel.core.binary.values import bytes_of, text_of, value_of, whole_of
from pruxel.core.extract.elements import bad
from pruxel.core.extract.file import ParsedFile, rows
from pruxel.core.images import png
from pruxel.core.images.decode import decode_image
from pruxel.core.images.pixels import check_size
from pruxel.core.native.blocks import decode_blocks

_BLOCK_BYTES = {"BC1": 8, "BC2": 16, "BC3": 16, "BC4": 8, "BC5": 16, "BC7": 16}


class TexturesSpec(Strict):
    """Where textures keep their texels: `pixels`, `blocks` of a block compression, or the bytes of a `picture`."""

    each: ExpressionText | None = None
    """The records that are textures."""
    where: ExpressionText | None = None
    """A condition: which of them count."""
    name: ExpressionText | None = None
    """Of the texture; what its own file's parts and materials call it."""
    width: ExpressionText | None = None
    """Texels across."""
    height: ExpressionText | None = None
    """Texels down."""
    pixels: ExpressionText | None = None
    """A row of one to four numbers a texel (grey, grey and alpha, RGB, RGBA): 0 to 255 if whole, else 0 to 1."""
    blocks: ExpressionText | None = None
    """Blocks of four by four texels instead: bytes, or an array of what each block is stored as."""
    compression: ExpressionText | None = None
    """How they are compressed: `'BC1'` to `'BC5'` or `'BC7'`."""
    picture: ExpressionText | None = None
    """The bytes of a picture of an open format instead (PNG, JPEG, DDS, TGA)."""
    rows: Literal["down", "up"] = "down"
    """`up` where the lowest row comes first."""


@dataclass(frozen=True, eq=False)
class LooseTexture:
    """A texture by its name: texels (height, width, 1 to 4) uint8, the upper row first."""

    name: str
    texels: ByteArray

    def png(self) -> bytes:
        """As a picture of an open format."""
        return png.encode(self.texels)


def read_textures(file: ParsedFile, context: Context) -> list[LooseTexture]:
    """All textures of a file; raises `InputError`."""
    spec = file.spec("textures", TexturesSpec)
    found = []
    for number, scope in enumerate(rows(spec.each, spec.where, file.head, file.entry)):
        context.check()
        otherwise = file.stem if spec.each is None else f"{file.stem}.{number}"
        name = otherwise if spec.name is None else text_of(spec.name, scope, file.entry)
        texels = _texels(spec, scope, file.entry, context.limits)
        found.append(LooseTexture(name, np.ascontiguousarray(texels[::-1] if spec.rows == "up" else texels)))
    return found


def _texels(spec: TexturesSpec, scope: Record, entry: str, limits: Limits) -> ByteArray:
    if spec.picture is not None:
        return decode_image(bytes_of(spec.picture, scope, entry), entry, limits).rgba
    if spec.width is None or spec.height is None or (spec.pixels is None) == (spec.blocks is None):
        raise bad(entry, scope, "a texture needs 'width' and 'height', and 'pixels' or 'blocks'")
    width, height = whole_of(spec.width, scope, entry), whole_of(spec.height, scope, entry)
    check_size(entry, width, height, limits)
    if spec.blocks is not None:
        return _from_blocks(spec, scope, width, height, entry)
    found = np.asarray(value_of(str(spec.pixels), scope, entry))
    texels = found[:, None] if found.ndim == 1 else found.reshape(-1, found.shape[-1]) if found.ndim else found
    good = texels.ndim == 2 and 1 <= texels.shape[1] <= 4 and texels.dtype.kind in "iufb"
    if not good or len(texels) < width * height:
        raise bad(
            entry,
            scope,
            "the texels of a texture cannot be read",
            expected=f"{width * height:,} rows of 1 to 4 numbers",
            found=f"an array of {' x '.join(map(str, found.shape))}",
        )
    return _bytes(texels[: width * height]).reshape(height, width, -1)


def _bytes(texels: AnyArray) -> ByteArray:
    """0 to 255, from whole numbers or from 0 to 1."""
    if texels.dtype.kind == "f":
        return np.rint(np.nan_to_num(np.clip(texels, 0, 1)) * 255).astype(np.uint8)
    return np.clip(texels, 0, 255).astype(np.uint8)


def _from_blocks(spec: TexturesSpec, scope: Record, width: int, height: int, entry: str) -> ByteArray:
    kind = text_of(spec.compression or "''", scope, entry).upper()
    size = _BLOCK_BYTES.get(kind)
    if size is None:
        raise bad(entry, scope, "not a block compression", expected=", ".join(_BLOCK_BYTES), found=f"'{kind}'")
    value = value_of(str(spec.blocks), scope, entry)
    data = memoryview(np.ascontiguousarray(value).tobytes() if isinstance(value, np.ndarray) else value)
    needed = -(-width // 4) * -(-height // 4) * size
    if len(data) < needed:
        raise bad(
            entry, scope, "the blocks of a texture end too soon", expected=f"{needed:,} bytes", found=f"{len(data):,}"
        )
    return decode_blocks(data[:needed], kind, width, height, entry)
