"""What may be chosen of a glTF file."""

from __future__ import annotations

from pydantic import Field

from pruxel.core.formats.registry import Options


class GltfOptions(Options):
    """How tightly the file is packed."""

    pack: bool = Field(
        default=False,
        title="Pack",
        description="Smaller, without loss, by meshopt; for programs that know EXT_meshopt_compression",
    )
