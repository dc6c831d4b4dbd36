"""Sounds (WAV, FLAC, MP3, Ogg Vorbis) through miniaudio, as a shape to look at; browsers play the files themselves."""

from __future__ import annotations

from dataclasses import dataclass

import miniaudio
import numpy as np

from pruxel.core.base.arrays import FloatArray
from pruxel.core.base.errors import ErrorCode, InputError

_RATE = 8000
_MOST_BYTES = 256 << 20


@dataclass(frozen=True, eq=False)
class Wave:
    """A sound's shape: lowest and highest of each of (n, 2) equal pieces, from -1 to 1.

    `whole` is false where the file ends before the end that it tells.
    """

    seconds: float
    channels: int
    rate: int
    format: str
    peaks: FloatArray
    whole: bool = True


def read_wave(data: memoryview, name: str, pieces: int) -> Wave:
    """Decode a sound; raises `InputError` for what is no sound that can be decoded, or is too large to look at."""
    if len(data) > _MOST_BYTES:
        raise InputError(
            ErrorCode.BUDGET,
            "the sound is too large to be drawn",
            file=name,
            expected=f"at most {_MOST_BYTES:,} bytes",
            found=f"{len(data):,}",
            hint="It can be saved and played elsewhere.",
        )
    whole = bytes(data)
    info = _info(whole, name)
    try:
        decoded = miniaudio.decode(whole, miniaudio.SampleFormat.FLOAT32, nchannels=1, sample_rate=_RATE)
    except miniaudio.MiniaudioError as error:
        raise _refused(name, data) from error
    samples = np.clip(np.nan_to_num(np.frombuffer(decoded.samples, np.float32)), -1, 1)
    edges = np.linspace(0, len(samples), pieces + 1).astype(int)
    peaks = np.zeros((pieces, 2), np.float32)
    for number in range(pieces):
        part = samples[edges[number] : max(edges[number + 1], edges[number] + 1)]
        if len(part):
            peaks[number] = part.min(), part.max()
    there = len(samples) / _RATE >= info.duration * 0.99 - 0.01 and len(data) >= _told_bytes(data)
    return Wave(info.duration, info.nchannels, info.sample_rate, info.file_format.name, peaks, there)


def _told_bytes(data: memoryview) -> int:
    """How long a RIFF file says that it is (Microsoft, "Multimedia Programming Interface", 1991); else 0.

    0 and the largest number stand for a length that its writer did not know.
    """
    if bytes(data[:4]) != b"RIFF":
        return 0
    told = int.from_bytes(data[4:8], "little")
    return 0 if told in {0, 0xFFFFFFFF} else told + 8


def _info(whole: bytes, name: str) -> miniaudio.SoundFileInfo:
    for ask in (miniaudio.wav_get_info, miniaudio.flac_get_info, miniaudio.vorbis_get_info, miniaudio.mp3_get_info):
        try:
            return ask(whole)
        except miniaudio.MiniaudioError:
            continue
    raise _refused(name, memoryview(whole))


def _refused(name: str, data: memoryview) -> InputError:
    return InputError(
        ErrorCode.UNKNOWN_FORMAT,
        "this sound is not drawn",
        file=name,
        offset=0,
        expected="WAV, FLAC, MP3 or Ogg Vorbis",
        found=f"bytes {bytes(data[:8]).hex(' ')}",
        hint="Your browser may still play it.",
    )
