"""What is worked out about a mesh, once for all that ask: findings, steps, pictures and every placement.

Results are kept under the content of the arrays they were made of, so that another material or name asks for nothing
anew.
"""

from __future__ import annotations

from collections import OrderedDict
from collections.abc import Callable, Hashable
from functools import wraps
from threading import Lock
from typing import Concatenate, ParamSpec, TypeVar

from pruxel.core.scene.digest import digest
from pruxel.core.scene.model import Mesh

R = TypeVar("R")
P = ParamSpec("P")


def once_per_mesh(
    *attributes: str, most: int
) -> Callable[[Callable[Concatenate[Mesh, P], R]], Callable[Concatenate[Mesh, P], R]]:
    """Keep a function's last `most` results under the named arrays of the mesh's primitives and the other arguments."""

    def decorate(work_out: Callable[Concatenate[Mesh, P], R]) -> Callable[Concatenate[Mesh, P], R]:
        kept: OrderedDict[Hashable, R] = OrderedDict()
        lock = Lock()

        @wraps(work_out)
        def ask(mesh: Mesh, *args: P.args, **kwargs: P.kwargs) -> R:
            arrays = tuple(digest(getattr(p, name)) for p in mesh.primitives for name in attributes)
            key = (arrays, args, tuple(sorted(kwargs.items())))
            with lock:
                if key in kept:
                    kept.move_to_end(key)
                    return kept[key]
            made = work_out(mesh, *args, **kwargs)
            with lock:
                kept[key] = made
                while len(kept) > most:
                    kept.popitem(last=False)
            return made

        return ask  # type: ignore[return-value] # wraps keeps the names of parameters

    return decorate
