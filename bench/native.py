"""Debian's libassimp by itself: a scene read, and written as another format."""

from __future__ import annotations

import ctypes
from pathlib import Path

_JOIN_EQUAL = 0x2
_TRIANGLES = 0x8


def _library() -> ctypes.CDLL:
    library = ctypes.CDLL("libassimp.so.5")
    library.aiImportFile.restype = ctypes.c_void_p
    library.aiImportFile.argtypes = [ctypes.c_char_p, ctypes.c_uint]
    library.aiExportScene.argtypes = [ctypes.c_void_p, ctypes.c_char_p, ctypes.c_char_p, ctypes.c_uint]
    library.aiReleaseImport.argtypes = [ctypes.c_void_p]
    return library


class Imported:
    """A file as the library holds it."""

    def __init__(self, path: Path, *, joined: bool = False) -> None:
        self._library = _library()
        self._scene = self._library.aiImportFile(str(path).encode(), _TRIANGLES | (_JOIN_EQUAL if joined else 0))
        assert self._scene, path

    def export(self, kind: str, path: Path) -> None:
        """Write it as `fbx`, which the library packs nothing of."""
        assert self._library.aiExportScene(self._scene, kind.encode(), str(path).encode(), 0) == 0

    def release(self) -> None:
        """Give back what it holds."""
        self._library.aiReleaseImport(self._scene)
