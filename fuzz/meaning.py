"""Changing documents in their meaning: values exchanged, left out, doubled or moved, and the whole written again."""

from __future__ import annotations

import copy
import random
from collections.abc import Iterator, Sequence
from typing import Any


def places(value: Any, above: tuple[Any, ...] = ()) -> Iterator[tuple[Any, ...]]:
    """The way to every value inside a document."""
    inner = value.items() if isinstance(value, dict) else enumerate(value) if isinstance(value, list) else ()
    for key, one in inner:
        yield (*above, key)
        yield from places(one, (*above, key))


def changed_document(document: Any, rng: random.Random, junk: Sequence[Any]) -> Any:
    """A copy with a few values exchanged, left out, doubled, moved or made into one another."""
    made = copy.deepcopy(document)
    for _ in range(rng.choice([1, 1, 1, 2, 4])):
        ways = list(places(made))
        if not ways:
            return made
        way = rng.choice(ways)
        holder = made
        for key in way[:-1]:
            holder = holder[key]
        old = holder[way[-1]]
        match rng.randrange(7):
            case 0:
                del holder[way[-1]]
            case 1 if isinstance(holder, list):
                holder.insert(way[-1], copy.deepcopy(old))
            case 2 if isinstance(old, int | float) and not isinstance(old, bool):
                holder[way[-1]] = rng.choice([old + 1, old - 1, -old, old * 2, old / 3, old * 1e9])
            case 3:
                other = made
                for key in rng.choice(ways):
                    if not isinstance(other, dict | list):
                        break
                    try:
                        other = other[key]
                    except (KeyError, IndexError):
                        break
                holder[way[-1]] = copy.deepcopy(other)
            case 4 if isinstance(old, list) and old:
                rng.shuffle(old)
            case _:
                holder[way[-1]] = copy.deepcopy(rng.choice(junk))
    return made
