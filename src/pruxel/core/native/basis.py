"""Textures packed as Basis Universal, taken apart by the transcoder that three.js ships, under Node."""

from __future__ import annotations

import shutil
import subprocess
from pathlib import Path

import numpy as np

from pruxel.core.base.arrays import ByteArray, Bytes
from pruxel.core.base.errors import ErrorCode, InputError
from pruxel.core.native.processes import ending_with_us

PROGRAMS = Path(__file__).resolve().parent / "node_programs"
_PROGRAM = PROGRAMS / "transcode.mjs"
_MOST_SECONDS = 120
_MOST_MEGABYTES = 2048


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
    command = ending_with_us([node, f"--max-old-space-size={_MOST_MEGABYTES}", str(_PROGRAM)])
    try:
        done = subprocess.run(  # noqa: S603 - our own program
            command, input=bytes(data), capture_output=True, timeout=_MOST_SECONDS, check=False
        )
    except subprocess.TimeoutExpired:
        raise _bad(name, f"it takes longer than {_MOST_SECONDS} seconds") from None
    if done.returncode != 0:
        raise _bad(name, done.stderr.decode("utf-8", "replace").strip()[-200:] or "its reader ended")
    if len(done.stdout) != width * height * 4:
        raise _bad(name, f"{len(done.stdout):,} bytes came out for {width:,} x {height:,} texels")
    return np.frombuffer(done.stdout, np.uint8).reshape(height, width, 4)


def _bad(name: str, why: str) -> InputError:
    words = f"the texture, packed as Basis Universal, does not unpack ({why})"
    return InputError(ErrorCode.MALFORMED, words, file=name)
