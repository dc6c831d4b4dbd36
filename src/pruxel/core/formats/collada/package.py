"""Zipped COLLADA: the document that the manifest names, and pictures beside it in the same ZIP.

Source: Khronos, COLLADA 1.5.0, "The .zae package".
"""

from __future__ import annotations

import posixpath
from urllib.parse import unquote

from pruxel.core.base.errors import ErrorCode, InputError
from pruxel.core.base.limits import Limits
from pruxel.core.formats.registry import Find
from pruxel.core.formats.xml import tree_of_xml
from pruxel.core.formats.zipped import Package, package_of


def opened(data: memoryview, name: str, find: Find, limits: Limits) -> tuple[bytes, Find]:
    """The document of a package, and what finds pictures in it before beside it; raises `InputError`."""
    package = package_of(data, name, limits)
    main = _main(package)

    def found(link: str) -> bytes | None:
        path = posixpath.normpath(posixpath.join(posixpath.dirname(main), link.replace("\\", "/")))
        if path not in package.paths:
            return find(link)
        try:
            return package.read(path)
        except InputError:
            return None

    return package.read(main), found


def _main(package: Package) -> str:
    """The document that `manifest.xml` names, else the first of the package."""
    if "manifest.xml" in package.paths:
        manifest = tree_of_xml(package.read("manifest.xml"), f"{package.name}/manifest.xml")
        said = posixpath.normpath(unquote(manifest.text.strip()))
        if said in package.paths:
            return said
    first = next((path for path in package.paths if path.lower().endswith(".dae")), None)
    if first is None:
        raise InputError(
            ErrorCode.MALFORMED, "the package has no document", file=package.name,
            expected="a file that ends with .dae", found=", ".join(package.paths[:5]) or "nothing",
        )  # fmt: skip
    return first
