"""What is known when sources are opened: the profile, the keys at hand, names for hashes."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, field

from pruxel.core.binary.schema import Layout
from pruxel.core.knowledge.keys import NO_KEYS, Keys
from pruxel.core.knowledge.name_lists import EMPTY, NameList
from pruxel.core.knowledge.profile import Profile


@dataclass(frozen=True, eq=False)
class Knowledge:
    """Given to everything that opens sources; `any_version` reads an unknown version by the nearest layout."""

    profile: Profile = field(default_factory=Profile)
    keys: Keys = field(default_factory=lambda: NO_KEYS)
    names: NameList = EMPTY
    any_version: bool = False

    @property
    def layouts(self) -> Sequence[Layout]:
        """The profile's layouts."""
        return self.profile.layouts
