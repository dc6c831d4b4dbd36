"""A process of its own that decodes the blocks of phones' textures: `python -m … ENCODING WIDTH HEIGHT`.

The blocks come on its input, the texels go to its output: blue, green, red, alpha, one byte each, row by row from the
top. The library is brought down by some damaged ASTC blocks.
"""

from __future__ import annotations

import resource
import sys
from collections.abc import Callable

import texture2ddecoder

_MOST_BYTES = 4 << 30
_DECODERS: dict[str, Callable[[bytes, int, int], bytes]] = {
    "ETC1": texture2ddecoder.decode_etc1,
    "ETC2": texture2ddecoder.decode_etc2,
    "ETC2A1": texture2ddecoder.decode_etc2a1,
    "ETC2A8": texture2ddecoder.decode_etc2a8,
    "EAC1": texture2ddecoder.decode_eacr,
    "EAC2": texture2ddecoder.decode_eacrg,
    "BC6": texture2ddecoder.decode_bc6,
}


def main(encoding: str, width: int, height: int) -> None:
    """Decode one level; what is wrong with it goes to the error output."""
    resource.setrlimit(resource.RLIMIT_AS, (_MOST_BYTES, _MOST_BYTES))
    blocks = sys.stdin.buffer.read()
    try:
        if encoding in _DECODERS:
            texels = _DECODERS[encoding](blocks, width, height)
        else:
            across, _, down = encoding.removeprefix("ASTC ").partition("x")
            texels = texture2ddecoder.decode_astc(blocks, width, height, int(across), int(down))
    except (ValueError, RuntimeError, MemoryError) as error:
        sys.exit(str(error))
    sys.stdout.buffer.write(texels)


if __name__ == "__main__":
    main(sys.argv[1], int(sys.argv[2]), int(sys.argv[3]))
