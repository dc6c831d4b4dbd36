"""Textures packed as Basis Universal, taken apart by the transcoder that three.js ships, under Node."""

from __future__ import annotations

import shutil
from pathlib import Path

import numpy as np

from pruxel.core.base.arrays import ByteArray, Bytes
from pruxel.core.base.errors import ErrorCode, InputError
from pruxel.core.disk.scratch import scratch_folder
from pruxel.core.native.processes import NoAnswer
from pruxel.core.native.ready import ask

PROGRAMS = Path(__file__).resolve().parent / "node_programs"
_PROGRAM = PROGRAMS / "transcode.mjs"
_MOST_MEGABYTES = 2048
_MOST_SECONDS = 120


def transcoded(data: Bytes, width: int, height: int, name: str) -> ByteArray:
    """The largest level of a KTX2 file as (height, width, 4) uint8; raises `InputError`."""
    node = shutil.which("node")
    if node is None or not _PROGRAM.is_file():
        raise InputError(
            ErrorCode.UNKNOWN_FORMAT,
            "the texture is packed as Basis Universal, which Node.js takes apart here",
            file=name,
            expected="Node.js" if node is None else f"the program {_PROGRAM.name}",
            found="nothing of that name",
            hint="Install Node.js 20 or later." if node is None else "Run 'make setup'.",
        )
    with scratch_folder() as folder:
        packed, unpacked = folder / "packed", folder / "unpacked"
        packed.write_bytes(data)
        command = [node, f"--max-old-space-size={_MOST_MEGABYTES}", str(_PROGRAM)]
        try:
            ask(command, [str(packed), str(unpacked)], _MOST_SECONDS)
        except NoAnswer as error:
            raise _bad(name, str(error)) from None
        texels = unpacked.read_bytes()
    if len(texels) != width * height * 4:
        raise _bad(name, f"{len(texels):,} bytes came out for {width:,} x {height:,} texels")
    return np.frombuffer(texels, np.uint8).reshape(height, width, 4)


def _bad(name: str, why: str) -> InputError:
    words = f"the texture, packed as Basis Universal, does not unpack ({why})"
    return InputError(ErrorCode.MALFORMED, words, file=name)
