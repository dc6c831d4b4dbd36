"""What the `extras` of a thing say by name: a JSON object, as glTF 2.0 has them."""

from __future__ import annotations

import json
from typing import Any


def said_in(extras: str) -> dict[str, Any]:
    """What they say; nothing where somebody wrote them in another way."""
    try:
        said = json.loads(extras) if extras else {}
    except ValueError:
        return {}
    return said if isinstance(said, dict) else {}
