"""Zipped COLLADA: the document that the manifest names, and pictures beside it in the same ZIP.

Source: Khronos, COLLADA 1.5.0, "The .zae package".
"""

from __future__ import annotations

import io
import posixpath
import zipfile
import zlib
from urllib.parse import unquote

from pruxel.core.base.errors import ErrorCode, InputError
from pruxel.core.base.limits import Limits, check_unpacked_size
from pruxel.core.formats.registry import Find
from pruxel.core.formats.xml import tree_of_xml

_MOST_ENTRIES = 100_000


def opened(data: memoryview, name: str, find: Find, limits: Limits) -> tuple[bytes, Find]:
    """The document of a package, and what finds pictures in it before beside it; raises `InputError`."""
    try:
        with zipfile.ZipFile(io.BytesIO(data)) as archive:
            listed = {info.filename: info for info in archive.infolist()[:_MOST_ENTRIES]}
            main = _main(archive, listed, name, limits)
            document = _unpacked(archive, listed[main], name, limits)
    except (zipfile.BadZipFile, zlib.error, NotImplementedError, EOFError, OSError, RuntimeError, ValueError) as error:
        raise InputError(ErrorCode.MALFORMED, f"the package cannot be opened: {error}", file=name) from None

    def found(link: str) -> bytes | None:
        path = posixpath.normpath(posixpath.join(posixpath.dirname(main), link.replace("\\", "/")))
        if path not in listed:
            return find(link)
        try:
            with zipfile.ZipFile(io.BytesIO(data)) as archive:
                return _unpacked(archive, listed[path], name, limits)
        except (zipfile.BadZipFile, zlib.error, NotImplementedError, EOFError, OSError, RuntimeError, InputError):
            return None

    return document, found


def _main(archive: zipfile.ZipFile, listed: dict[str, zipfile.ZipInfo], name: str, limits: Limits) -> str:
    """The document that `manifest.xml` names, else the first of the package."""
    if "manifest.xml" in listed:
        manifest = tree_of_xml(_unpacked(archive, listed["manifest.xml"], name, limits), f"{name}/manifest.xml")
        said = posixpath.normpath(unquote(manifest.text.strip()))
        if said in listed:
            return said
    first = next((path for path in listed if path.lower().endswith(".dae")), None)
    if first is None:
        raise InputError(
            ErrorCode.MALFORMED, "the package has no document", file=name, expected="a file that ends with .dae",
            found=", ".join(list(listed)[:5]) or "nothing",
        )  # fmt: skip
    return first


def _unpacked(archive: zipfile.ZipFile, info: zipfile.ZipInfo, name: str, limits: Limits) -> bytes:
    check_unpacked_size(limits, name, info.compress_size, info.file_size)
    with archive.open(info) as stream:
        return stream.read(info.file_size + 1)
