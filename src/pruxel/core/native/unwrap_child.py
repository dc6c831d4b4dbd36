"""The process that unwraps: arrays come in by standard input as NumPy packs them, and go out by standard output."""

from __future__ import annotations

import io
import sys

import numpy as np
import xatlas


def main() -> None:
    """Unwrap one surface."""
    with np.load(io.BytesIO(sys.stdin.buffer.read())) as given:
        positions, indices, (texels, padding) = given["positions"], given["indices"], given["wanted"]
    atlas = xatlas.Atlas()
    atlas.add_mesh(np.ascontiguousarray(positions, np.float32), np.ascontiguousarray(indices, np.uint32))
    pack = xatlas.PackOptions()
    pack.resolution, pack.padding = int(texels), int(padding)
    pack.create_image = False
    atlas.generate(xatlas.ChartOptions(), pack)
    old_of_new, made, uvs = atlas[0]
    # Texels of the atlas become shares of its longer side, so that nothing is stretched.
    longer = max(atlas.width, atlas.height, 1)
    scaled = uvs * (np.array([atlas.width, atlas.height]) / longer)
    answer = io.BytesIO()
    np.savez(
        answer, old_of_new=old_of_new, indices=made, uvs=scaled.astype(np.float32), charts=np.array(atlas.chart_count)
    )
    sys.stdout.buffer.write(answer.getvalue())


main()
