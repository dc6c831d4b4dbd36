"""A process of its own that decodes OpenEXR: `python -m …`, the file on its input, an array on its output.

The library is brought down by some damaged files; what it says it says on the standard output, which is turned away.
"""

from __future__ import annotations

import io
import os
import resource
import sys

import numpy as np
import OpenEXR

_MOST_BYTES = 4 << 30


def main() -> None:
    """Write (height, width, 3 or 4) float32, RGB or RGBA; grey stands in all three."""
    resource.setrlimit(resource.RLIMIT_AS, (_MOST_BYTES, _MOST_BYTES))
    out = os.fdopen(os.dup(1), "wb")
    os.dup2(2, 1)
    data = io.BytesIO(sys.stdin.buffer.read())
    with OpenEXR.File(data, separate_channels=True, num_threads=0) as file:
        there = {key: np.asarray(channel.pixels, np.float32) for key, channel in file.channels().items()}
    names = [name for name in "RGBA" if name in there] if {"R", "G", "B"} <= there.keys() else ["Y"] * 3
    if not set(names) <= there.keys():
        sys.exit("it has neither R, G, B nor Y")
    packed = io.BytesIO()
    np.save(packed, np.stack([there[name] for name in names], axis=2))
    out.write(packed.getvalue())
    out.flush()


if __name__ == "__main__":
    main()
