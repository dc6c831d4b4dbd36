"""What each channel of a packed texture means, noted on the image itself until it is taken apart."""

from __future__ import annotations

import json
from collections.abc import Mapping
from dataclasses import replace
from typing import Literal, get_args

from pruxel.core.scene.extras import said_in
from pruxel.core.scene.images import Channel, Image

Meaning = Literal[
    "nothing", "as it is", "metal", "roughness", "gloss", "occlusion", "opacity", "light mask",
    "normal right", "normal up", "normal down",
]  # fmt: skip
CHANNELS: dict[str, Channel] = {"red": "r", "green": "g", "blue": "b", "alpha": "a"}
_KEY = "channels"


def noted(image: Image, meanings: Mapping[str, Meaning]) -> Image:
    """The image with what its channels mean, by `red`, `green`, `blue`, `alpha`, beside what its `extras` say."""
    return replace(image, extras=json.dumps(said_in(image.extras) | {_KEY: dict(meanings)}, sort_keys=True))


def meanings_of(image: Image) -> dict[str, Meaning]:
    """What its channels mean, as noted; nothing where that was noted by somebody else in another way."""
    said = said_in(image.extras).get(_KEY)
    if not isinstance(said, dict):
        return {}
    known = get_args(Meaning)
    return {name: said[name] for name in CHANNELS if said.get(name) in known}
