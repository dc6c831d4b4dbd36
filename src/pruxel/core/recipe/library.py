"""Where steps find the other entries that they name, where nothing is stored: the same sources."""

from __future__ import annotations

from pruxel.core.base.context import Context
from pruxel.core.recipe.inputs import Opener
from pruxel.core.scene.digest import digest
from pruxel.core.scene.model import Scene
from pruxel.core.steps.references import Reference
from pruxel.core.steps.registry import Library


class EntryLibrary(Library):
    """The entries of one stack, each opened once. Workpieces are not there."""

    def __init__(self, opener: Opener) -> None:
        self._opener = opener
        self._opened: dict[str, Scene] = {}

    def digest(self, reference: Reference) -> str:
        """The content of the entry; raises `InputError` when it cannot be opened."""
        return digest(self.scene(reference, Context()))

    def scene(self, reference: Reference, context: Context) -> Scene:
        """The entry opened; raises `InputError` when it cannot be, `UsageError` for a workpiece."""
        if reference.to != "entry":
            raise self._absent(reference)
        if reference.name not in self._opened:
            self._opened[reference.name] = self._opener.scene([reference.name], context)
        return self._opened[reference.name]
