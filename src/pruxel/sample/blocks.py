"""Block compression of textures with plain NumPy, and the DDS files around it.

Sources: Microsoft's descriptions of BC1 to BC7 (Direct3D 11 functional specification); BC7 blocks are all of mode 6.
"""

from __future__ import annotations

import struct

import numba
import numpy as np

from pruxel.core.base.arrays import AnyArray


def _tiles(image: AnyArray) -> AnyArray:
    """(h, w, c) → (blocks, 16, c), sides padded to four by repeating the edge."""
    h, w, c = image.shape
    padded = np.pad(image, ((0, -h % 4), (0, -w % 4), (0, 0)), mode="edge")
    high, wide = padded.shape[0] // 4, padded.shape[1] // 4
    return padded.reshape(high, 4, wide, 4, c).transpose(0, 2, 1, 3, 4).reshape(-1, 16, c)


def _ends(tiles: AnyArray) -> tuple[AnyArray, AnyArray]:
    """The two ends of the line through each block's colours, along its strongest direction."""
    ends = np.empty((2, len(tiles), tiles.shape[2]))
    _line(tiles, ends)
    return np.clip(ends[0], 0, 255), np.clip(ends[1], 0, 255)


@numba.njit(cache=True, nogil=True)
def _line(tiles, ends):  # type: ignore[no-untyped-def] # noqa: ANN001, ANN202
    """Write the ends (2, blocks, c) of tiles (blocks, 16, c), by the power method on each block's covariance."""
    blocks, texels, channels = tiles.shape
    mean, axis, turned = np.empty(channels), np.empty(channels), np.empty(channels)
    covariance = np.empty((channels, channels))
    for b in range(blocks):
        covariance[:] = 0.0
        for c in range(channels):
            mean[c], axis[c] = tiles[b, :, c].mean(), 1.0
        for i in range(texels):
            for c in range(channels):
                for d in range(channels):
                    covariance[c, d] += (tiles[b, i, c] - mean[c]) * (tiles[b, i, d] - mean[d])
        for _ in range(6):
            length = 0.0
            for c in range(channels):
                turned[c] = 1e-9
                for d in range(channels):
                    turned[c] += covariance[c, d] * axis[d]
                length += turned[c] * turned[c]
            for c in range(channels):
                axis[c] = turned[c] / np.sqrt(length)
        low, high = np.inf, -np.inf
        for i in range(texels):
            along = 0.0
            for c in range(channels):
                along += (tiles[b, i, c] - mean[c]) * axis[c]
            low, high = min(low, along), max(high, along)
        for c in range(channels):
            ends[0, b, c], ends[1, b, c] = mean[c] + axis[c] * low, mean[c] + axis[c] * high


@numba.njit(cache=True, nogil=True)
def _choose(tiles, palette, chosen):  # type: ignore[no-untyped-def] # noqa: ANN001, ANN202
    blocks, texels, channels = tiles.shape
    for b in range(blocks):
        for i in range(texels):
            best = np.inf
            for k in range(palette.shape[1]):
                distance = 0.0
                for c in range(channels):
                    away = tiles[b, i, c] - palette[b, k, c]
                    distance += away * away
                if distance < best:
                    best = distance
                    chosen[b, i] = k


def _nearest(tiles: AnyArray, palette: AnyArray) -> AnyArray:
    """For each texel the number of the nearest palette entry: (blocks, 16)."""
    chosen = np.zeros(tiles.shape[:2], np.uint64)
    _choose(tiles, np.ascontiguousarray(palette, np.float64), chosen)
    return chosen


def _packed(values: AnyArray, bits: int) -> AnyArray:
    """Sixteen numbers of `bits` bits in one word, the first lowest."""
    shifts = (np.arange(16) * bits).astype(np.uint64)
    word: AnyArray = np.bitwise_or.reduce(values.astype(np.uint64) << shifts, axis=1)
    return word


def bc1(image: AnyArray) -> bytes:
    """Three channels in 8 bytes a block."""
    tiles = _tiles(image[..., :3].astype(np.float64))
    low, high = _ends(tiles)

    def to_565(color: AnyArray) -> AnyArray:
        scaled = np.round(color * np.array([31, 63, 31]) / 255).astype(np.uint64)
        return (scaled[:, 0] << np.uint64(11)) | (scaled[:, 1] << np.uint64(5)) | scaled[:, 2]

    def from_565(word: AnyArray) -> AnyArray:
        parts = [(word >> np.uint64(s)) & np.uint64(m) for s, m in ((11, 31), (5, 63), (0, 31))]
        return np.stack([p * 255.0 / m for p, m in zip(parts, (31, 63, 31), strict=True)], axis=1)

    a, b = to_565(high), to_565(low)
    first, second = np.maximum(a, b), np.minimum(a, b)
    one, two = from_565(first), from_565(second)
    palette = np.stack([one, two, (2 * one + two) / 3, (one + 2 * two) / 3], axis=1)
    chosen = np.where((first == second)[:, None], np.uint64(0), _nearest(tiles, palette))
    word = first | (second << np.uint64(16)) | (_packed(chosen, 2) << np.uint64(32))
    return word.astype("<u8").tobytes()


def _bc4_words(plane: AnyArray) -> AnyArray:
    tiles = _tiles(plane[..., None].astype(np.float64))
    high, low = tiles.max(axis=(1, 2)), tiles.min(axis=(1, 2))
    steps = np.array([0, 7, 1, 2, 3, 4, 5, 6]) / 7.0
    palette = (high[:, None] + (low - high)[:, None] * steps)[..., None]
    chosen = np.where((high == low)[:, None], np.uint64(0), _nearest(tiles, palette))
    ends = high.astype(np.uint64) | (low.astype(np.uint64) << np.uint64(8))
    word: AnyArray = ends | (_packed(chosen, 3) << np.uint64(16))
    return word


def bc3(image: AnyArray) -> bytes:
    """Four channels in 16 bytes a block."""
    color = np.frombuffer(bc1(image), "<u8")
    return np.stack([_bc4_words(image[..., 3]), color], axis=1).astype("<u8").tobytes()


def bc5(image: AnyArray) -> bytes:
    """The first two channels in 16 bytes a block."""
    words = np.stack([_bc4_words(image[..., 0]), _bc4_words(image[..., 1])], axis=1)
    return words.astype("<u8").tobytes()


_WEIGHTS = np.array([0, 4, 9, 13, 17, 21, 26, 30, 34, 38, 43, 47, 51, 55, 60, 64])


def bc7(image: AnyArray) -> bytes:
    """Four channels in 16 bytes a block: mode 6, sixteen steps between two ends of 7 bits and a shared one each."""
    tiles = _tiles(image.astype(np.float64))
    ends = []
    for end in _ends(tiles):
        options = []
        for shared in (0, 1):
            seven = np.clip(np.round((end - shared) / 2), 0, 127)
            options.append((seven, shared, np.abs(seven * 2 + shared - end).sum(axis=1)))
        pick = options[1][2] < options[0][2]
        ends.append((np.where(pick[:, None], options[1][0], options[0][0]), pick.astype(np.uint64)))
    (low, p0), (high, p1) = ends
    one, two = low * 2 + p0[:, None], high * 2 + p1[:, None]
    palette = ((64 - _WEIGHTS)[None, :, None] * one[:, None] + _WEIGHTS[None, :, None] * two[:, None] + 32) // 64
    chosen = _nearest(tiles, palette)
    swap = chosen[:, 0] >= 8
    chosen = np.where(swap[:, None], np.uint64(15) - chosen, chosen)
    low, high = np.where(swap[:, None], high, low), np.where(swap[:, None], low, high)
    p0, p1 = np.where(swap, p1, p0), np.where(swap, p0, p1)
    first = np.full(len(tiles), 1 << 6, np.uint64)
    for channel in range(4):
        first |= low[:, channel].astype(np.uint64) << np.uint64(7 + 14 * channel)
        first |= high[:, channel].astype(np.uint64) << np.uint64(14 + 14 * channel)
    first |= p0 << np.uint64(63)
    second = p1 | (chosen[:, 0] << np.uint64(1))
    for k in range(1, 16):
        second |= chosen[:, k] << np.uint64(4 * k)
    return np.stack([first, second], axis=1).astype("<u8").tobytes()


def _rgba8(image: AnyArray) -> bytes:
    return np.ascontiguousarray(image).tobytes()


_CODECS = {
    "BC1": (bc1, b"DXT1", 0),
    "BC3": (bc3, b"DXT5", 0),
    "BC5": (bc5, b"ATI2", 0),
    "BC7": (bc7, b"DX10", 98),
    "RGBA8": (_rgba8, b"DX10", 28),
}


def dds(image: AnyArray, codec: str) -> bytes:
    """A DDS file of a (h, w, 4) uint8 image with all its mips."""
    encode, fourcc, dxgi = _CODECS[codec]
    levels = [image]
    while min(levels[-1].shape[:2]) >= 8:
        last = levels[-1].astype(np.float32)
        levels.append(
            ((last[::2, ::2] + last[1::2, ::2] + last[::2, 1::2] + last[1::2, 1::2]) / 4 + 0.5).astype(np.uint8)
        )
    height, width = image.shape[:2]
    head = struct.pack("<4s7I44x", b"DDS ", 124, 0x21007, height, width, 0, 0, len(levels))
    head += struct.pack("<II4s5I", 32, 4, fourcc, 0, 0, 0, 0, 0) + struct.pack("<5I", 0x401008, 0, 0, 0, 0)
    if fourcc == b"DX10":
        head += struct.pack("<5I", dxgi, 3, 0, 1, 0)
    return head + b"".join(encode(level) for level in levels)
