"""Choose among layouts of one format by the version that stands in the file."""

from __future__ import annotations

from collections.abc import Sequence

from pruxel.core.base.context import Context
from pruxel.core.base.errors import ErrorCode, InputError
from pruxel.core.binary.expressions import compile_expression
from pruxel.core.binary.parse import parse
from pruxel.core.binary.schema import Layout


def version_of(layout: Layout, data: memoryview, name: str) -> int | None:
    """The version in a file, by reading no further than to the field that holds it; None when it cannot be had."""
    if layout.version is None:
        return None
    first = layout.version.field.split(".")[0]
    fields = layout.records["file"]
    stop = next((n for n, spec in enumerate(fields) if spec.name == first), None)
    if stop is None:
        return None
    short = layout.model_copy(update={"records": layout.records | {"file": fields[: stop + 1]}})
    try:
        record = parse(short, data, name, Context(), any_version=True)
        return int(compile_expression(layout.version.field)(record))
    except (InputError, TypeError, ValueError, OverflowError):
        return None


def fitting_layouts(
    candidates: Sequence[Layout], data: memoryview, name: str, *, any_version: bool = False
) -> list[Layout]:
    """The layouts that know the file's version, in their order; with `any_version` the nearest when none does.

    Raises `InputError` that names the version, those known and the nearest.
    """
    if len(candidates) == 1 and candidates[0].version is None:
        return list(candidates)
    distances: list[tuple[int, int]] = []
    found: int | None = None
    for number, layout in enumerate(candidates):
        version = version_of(layout, data, name)
        if version is None or layout.version is None:
            distances.append((0 if layout.version is None else 1 << 62, number))
            continue
        found = version
        distances.append((min(abs(version - known) for known in layout.version.known), number))
    distance, best = min(distances)
    if distance == 0:
        return [candidates[number] for apart, number in distances if apart == 0]
    if any_version or found is None:
        return [candidates[best]]
    known = sorted({v for layout in candidates if layout.version for v in layout.version.known})
    nearest = min(known, key=lambda v: (abs(v - found), v))
    raise InputError(
        ErrorCode.UNKNOWN_VERSION,
        "this version of the format is not known",
        file=name,
        expected=f"version {', '.join(map(str, known))}",
        found=f"version {found}",
        hint=f"It can be read as version {nearest}, the nearest; what it shows may then be wrong. "
        f"Better, add the version to the layout '{candidates[best].layout}'.",
    )


def fitting_layout(candidates: Sequence[Layout], data: memoryview, name: str, *, any_version: bool = False) -> Layout:
    """The first of those."""
    return fitting_layouts(candidates, data, name, any_version=any_version)[0]
