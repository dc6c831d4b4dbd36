"""Images of a scene: encoded bytes as they came, or a mix of the channels of others."""

from __future__ import annotations

from dataclasses import KW_ONLY, dataclass, field
from typing import Literal

from pruxel.core.scene.origin import Origin

Channel = Literal["r", "g", "b", "a"]


@dataclass(frozen=True)
class EncodedImage:
    """Bytes of an image file, kept as they came."""

    data: bytes
    media_type: str


@dataclass(frozen=True)
class ChannelPick:
    """One channel of an encoded image, or its inverse (255 minus value)."""

    image: EncodedImage
    channel: Channel
    inverted: bool = False


@dataclass(frozen=True)
class ChannelMix:
    """An image put together from channels of others; a float is a constant from 0 to 1."""

    r: ChannelPick | float
    g: ChannelPick | float
    b: ChannelPick | float
    a: ChannelPick | float = 1.0

    def picks(self) -> tuple[ChannelPick | float, ...]:
        """The four channels in order."""
        return (self.r, self.g, self.b, self.a)


@dataclass(frozen=True)
class Image:
    """A named image."""

    name: str
    content: EncodedImage | ChannelMix
    _: KW_ONLY
    extras: str = ""
    origin: Origin = field(default_factory=Origin)
