"""What a glTF file says of its own, as JSON text."""

from __future__ import annotations

from collections.abc import Collection, Mapping
from typing import Any

import orjson

from pruxel.core.formats.fields import Fields


def extras_text(found: Fields, without: Collection[str] = ()) -> str:
    """The object's `extras` as canonical JSON text, empty when there is nothing left."""
    value = found.plain("extras")
    inside = found.object("extras") if isinstance(value, dict) else None
    if inside is not None:
        inside.pass_over(*inside.values)
        value = {key: item for key, item in inside.values.items() if key not in without}
    return "" if value in (None, {}) else orjson.dumps(value, option=orjson.OPT_SORT_KEYS).decode()


def extras_json(text: str, more: Mapping[str, Any] | None = None) -> dict[str, Any]:
    """`{"extras": …}` to be added to an object, or nothing; `more` joins an object or stands alone."""
    value = orjson.loads(text) if text else {}
    if more:
        value = value | dict(more) if isinstance(value, dict) else {"value": value} | dict(more)
    return {"extras": value} if value != {} else {}
