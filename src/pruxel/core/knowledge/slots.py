"""Slots of things made of parts: what may stand in each, told by the profile, else by folders and names."""

from __future__ import annotations

import re
from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass
from typing import Any

from pruxel.core.binary.schema import Strict
from pruxel.core.knowledge.patterns import matches

Find = Callable[[str], Sequence[str]]
_MOST_VARIANTS = 200
_PLACEHOLDER = re.compile(r"\{([a-z_]+)\}")
# General words for what bodies, clothes and machines are made of, as files and folders are called.
_WORDS = frozenset({
    "head", "hair", "face", "beard", "eyes", "brows", "body", "torso", "chest", "arms", "hands", "gloves",
    "legs", "pants", "trousers", "skirt", "feet", "shoes", "boots", "hat", "helmet", "hood", "mask", "glasses",
    "cape", "coat", "jacket", "armor", "armour", "suit", "outfit", "clothes", "belt", "bag", "backpack",
    "weapon", "sword", "bow", "shield", "tool", "tail", "wings", "horns", "saddle", "wheel", "wheels", "engine",
    "turret", "cannon", "lamp", "sail", "hull", "cabin", "door",
})  # fmt: skip
_PLURAL = re.compile(r"(?<=[a-z]{3})s$")


class SlotSpec(Strict):
    """A slot of the entries that `of` means: `takes` are patterns of what may stand in it.

    `{word}` in `of` stands for a part of a path, and means the same in `takes`. What comes in shares the skeleton, or
    `hangs_on` a joint, its origin `at` a place (metres, Y up), turned about x, y, z by degrees.
    """

    name: str
    of: str
    takes: tuple[str, ...]
    hangs_on: str = ""
    at: tuple[float, float, float] = (0.0, 0.0, 0.0)
    turn: tuple[float, float, float] = (0.0, 0.0, 0.0)


@dataclass(frozen=True)
class Variant:
    """An entry that may stand in a slot: how sure that is (0 to 1), and why."""

    path: str
    sureness: float
    why: str


@dataclass(frozen=True)
class Slot:
    """A slot with what may stand in it, the surest first, and where that hangs."""

    name: str
    variants: tuple[Variant, ...]
    hangs_on: str = ""
    at: tuple[float, float, float] = (0.0, 0.0, 0.0)
    turn: tuple[float, float, float] = (0.0, 0.0, 0.0)


def filling(slot: Slot, entry: str) -> dict[str, Any]:
    """The parameters of the step that puts an entry into a slot; an empty text takes out what stands there."""
    return {"slot": slot.name, "entry": entry, "to": slot.hangs_on, "at": list(slot.at), "turn": list(slot.turn)}


def slots_of(entry: str, specs: Sequence[SlotSpec], find: Find) -> list[Slot]:
    """The slots of an entry. `find` gives the models that a pattern means."""
    told = [_told(spec, words, find) for spec in specs if (words := captured(spec.of, entry)) is not None]
    if told:
        return _joined(told)
    return _joined(_by_folders(entry, find) + _by_names(entry, find))


def captured(pattern: str, path: str) -> dict[str, str] | None:
    """What the placeholders of a pattern stand for in a path, None where it does not mean that path.

    A placeholder stands for a whole part of a path, or for its middle; not behind `**`, where no part has a number.
    """
    parts, given = pattern.split("/"), path.split("/")
    words: dict[str, str] = {}
    for number, part in enumerate(parts):
        found = _PLACEHOLDER.search(part)
        if found is None or found[1] in words:
            continue
        before, behind = part[: found.start()], part[found.end() :]
        if "**" in parts[:number] or number >= len(given) or any(mark in part for mark in "*?"):
            return None
        value = given[number]
        behind = _PLACEHOLDER.sub("", behind)
        if len(value) <= len(before) + len(behind) or not value.lower().startswith(before.lower()):
            return None
        words[found[1]] = value[len(before) : len(value) - len(behind) or None]
    return words if matches(path, [filled(pattern, words)]) else None


def filled(pattern: str, words: Mapping[str, str]) -> str:
    """The pattern with its placeholders replaced; those that stand for nothing stay."""
    return _PLACEHOLDER.sub(lambda found: words.get(found[1], found[0]), pattern)


def placeholders(pattern: str) -> list[str]:
    """The words of a pattern's placeholders."""
    return _PLACEHOLDER.findall(pattern)


def _told(spec: SlotSpec, words: Mapping[str, str], find: Find) -> Slot:
    paths = [path for pattern in spec.takes for path in find(filled(pattern, words))]
    variants = tuple(Variant(path, 1.0, "the profile says so") for path in dict.fromkeys(paths))
    return Slot(spec.name, variants[:_MOST_VARIANTS], spec.hangs_on, spec.at, spec.turn)


def _joined(slots: Sequence[Slot]) -> list[Slot]:
    """Slots of one name as one, each variant by its best reason; those that nothing may stand in are left out."""
    by_name: dict[str, list[Slot]] = {}
    for slot in slots:
        by_name.setdefault(slot.name, []).append(slot)
    joined = []
    for name, same in by_name.items():
        best: dict[str, Variant] = {}
        for variant in (one for slot in same for one in slot.variants):
            if variant.path not in best or best[variant.path].sureness < variant.sureness:
                best[variant.path] = variant
        ordered = sorted(best.values(), key=lambda one: (-one.sureness, one.path))
        if ordered:
            joined.append(Slot(name, tuple(ordered[:_MOST_VARIANTS]), same[0].hangs_on, same[0].at, same[0].turn))
    return joined


def _by_folders(entry: str, find: Find) -> list[Slot]:
    """Folders called like a part: below the entry's own, or beside it."""
    folder = entry.rsplit("/", 1)[0] if "/" in entry else ""
    above = folder.rsplit("/", 1)[0] if "/" in folder else ""
    found = []
    # What lies beside its folder may be of anything else, unless this says itself that it is a part of something.
    is_part = any(_word_in(word) for word in _words_of(entry.rsplit("/", 1)[-1]))
    for place, sureness in ((folder, 0.6), (above, 0.4)) if is_part else ((folder, 0.6),):
        inner: dict[str, list[Variant]] = {}
        for path in find(f"{place}/**" if place else "**") if place or folder else ():
            parts = path[len(place) + 1 if place else 0 :].split("/")
            word = _word_in(parts[0]) if len(parts) > 1 else None
            if word is not None and path != entry and not path.startswith(f"{folder}/" if place != folder else "\0"):
                inner.setdefault(word, []).append(Variant(path, sureness, f"it lies in the folder '{parts[0]}'"))
        found += [Slot(word, tuple(variants)) for word, variants in inner.items()]
    return found


def _by_names(entry: str, find: Find) -> list[Slot]:
    """Entries beside this one whose names say which part they are, and begin as this one's does."""
    folder, _, last = entry.rpartition("/")
    own = _words_of(last)
    inner: dict[str, list[Variant]] = {}
    for path in find(f"{folder}/*" if folder else "*"):
        words = _words_of(path.rsplit("/", 1)[-1])
        word = next((known for one in words if (known := _word_in(one))), None)
        if path == entry or word is None or word in {_word_in(one) for one in own}:
            continue
        alike = bool(own) and bool(words) and own[0] == words[0]
        why = f"its name says '{word}'" + (f" and begins with '{own[0]}' as well" if alike else "")
        inner.setdefault(word, []).append(Variant(path, 0.7 if alike else 0.3, why))
    return [Slot(word, tuple(variants)) for word, variants in inner.items()]


def _words_of(name: str) -> list[str]:
    """The words of a file's name: `GuardHead_02.mdl` gives guard, head."""
    stem = re.sub(r"(?<=[a-z])(?=[A-Z])", " ", name.rsplit(".", 1)[0])
    return [word.lower() for word in re.split(r"[^A-Za-z]+", stem) if word]


def _word_in(name: str) -> str | None:
    """The part that a word means, in the singular where that is known: `heads` is `head`."""
    for word in _words_of(f"{name}."):
        if word in _WORDS:
            return word
        single = _PLURAL.sub("", word)
        if single in _WORDS:
            return single
    return None
