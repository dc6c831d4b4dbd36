"""Layouts that share records: what one includes of others stands in it before it is checked."""

from __future__ import annotations

from collections.abc import Iterator, Mapping, Sequence
from typing import Any

from pruxel.core.binary.schema import Layout

_DEEPEST = 32
SHARED = ("records", "enums", "constants", "let")
Known = Mapping[str, Layout]


def included_by(plain: object) -> tuple[str, ...]:
    """The names of the layouts that a parsed YAML document includes; none where it is no layout."""
    said = plain.get("include", ()) if isinstance(plain, Mapping) else ()
    return tuple(str(one) for one in ([said] if isinstance(said, str) else said if isinstance(said, list) else ()))


def with_included(plain: Mapping[str, Any], known: Known) -> dict[str, Any]:
    """The document with all that it includes in it, and no `include` any more.

    The record `file` of what is included stays out. Raises `ValueError` for a layout that is not there, and for a name
    that two of them give.
    """
    found = dict(plain)
    found.pop("include", None)
    for name in included_by(plain):
        if name not in known:
            near = f"; there are {', '.join(sorted(known)[:8])}" if known else ""
            raise ValueError(f"there is no layout '{name}' to include{near}")
        whole = known[name].model_dump(mode="json", by_alias=True, exclude_defaults=True)
        for part in SHARED:
            own, theirs = found.get(part) or {}, {k: v for k, v in whole.get(part, {}).items() if k != "file"}
            if not isinstance(own, Mapping):
                continue  # told where the layout is checked
            # What two included layouts have of a third is the same.
            twice = sorted(key for key in own.keys() & theirs.keys() if own[key] != theirs[key])
            if twice:
                raise ValueError(f"'{twice[0]}' stands in '{part}' here and in the included '{name}'")
            if theirs:
                found[part] = {**theirs, **own}
    return found


def in_order(documents: Mapping[str, object]) -> Iterator[str]:
    """The names of layouts, each behind those that it includes; raises `ValueError` for a ring."""
    done = dict[str, None]()

    def follow(name: str, above: Sequence[str]) -> Iterator[str]:
        if len(above) > _DEEPEST:
            raise ValueError(f"layouts include each other more than {_DEEPEST} deep")
        if name in above:
            raise ValueError(f"layouts include each other in a ring: {' → '.join((*above, name))}")
        for below in included_by(documents[name]):
            if below in documents and below not in done:
                yield from follow(below, (*above, name))
        if name not in done:
            done[name] = None
            yield name

    for name in documents:
        yield from follow(name, ())
