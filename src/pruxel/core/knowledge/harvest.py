"""Win names for hashes from the game itself: paths that its readable entries mention, and what patterns make of them.

Patterns are learnt from names already known: endings that go together, suffixes before the ending, numbers in a row.
Every guess is tried against the hashes that nobody knows yet; only those that fit are kept.
"""

from __future__ import annotations

import re
from collections import Counter
from collections.abc import Callable, Iterable, Iterator, Sequence
from dataclasses import dataclass
from itertools import islice

import numpy as np

from pruxel.core.base.arrays import AnyArray
from pruxel.core.base.context import Context
from pruxel.core.knowledge.name_lists import Hashing, hash_names, names_of
from pruxel.core.native.hashes import positions_of

# A run of what stems are made of, taken whole, and the endings behind it, if any: every byte is looked at once.
_RUN = re.compile(rb"([A-Za-z0-9_\-~ /\\]++)((?:\.[A-Za-z0-9]{1,5}){1,2})?+")
_BROKEN = re.compile(rb"[/\\]{2,}")
_LONGEST_STEM = 400
_WIDE = re.compile(rb"(?:[\x20-\x7e]\x00){5,}")
_NUMBER = re.compile(r"\d+")
_SUFFIX = re.compile(r"_([A-Za-z]{1,3}|[A-Za-z]+\d?)$")
_BATCH = 200_000
_MOST_GUESSES = 4_000_000
_ROUNDS = 3
_TEXT_SIZE = 8 << 20


@dataclass(frozen=True)
class Won:
    """A name that fits a hash, and how it came."""

    name: str
    hash: int
    how: str


def paths_in(data: memoryview) -> set[str]:
    """Path-like texts in some bytes, as ASCII or UTF-16."""
    head = bytes(data[:_TEXT_SIZE])
    found = set(_named(head))
    for wide in _WIDE.finditer(head):
        found |= set(_named(wide.group()[::2]))
    return {text.decode("ascii").replace("\\", "/").strip() for text in found if len(text) >= 5}


def _named(data: bytes) -> Iterator[bytes]:
    """Parts joined by single slashes, with an ending; a stem as long as no path would be is passed over."""
    at = 0
    while (match := _RUN.search(data, at)) is not None:
        stem, endings = match.groups()
        at = match.end(1)
        if endings is None or len(stem) > _LONGEST_STEM:
            continue
        stem = _BROKEN.split(stem)[-1].lstrip(b"-/\\ ")
        if stem and not stem.endswith((b"/", b"\\")):
            at = match.end()
            yield stem + endings


@dataclass(frozen=True)
class Habits:
    """What known names have in common."""

    endings: tuple[str, ...]
    suffixes: tuple[str, ...]
    folders: tuple[str, ...]

    @classmethod
    def learn(cls, names: Iterable[str]) -> Habits:
        """The endings, suffixes and folders that occur, most frequent first."""
        endings: Counter[str] = Counter()
        suffixes: Counter[str] = Counter()
        folders: Counter[str] = Counter()
        for name in names:
            stem, _, ending = name.rpartition(".")
            endings[ending] += 1
            suffix = _SUFFIX.search(stem)
            if suffix:
                suffixes[suffix.group()] += 1
            folders[name.rpartition("/")[0]] += 1
        return cls(_frequent(endings, 16), _frequent(suffixes, 32), _frequent(folders, 400))

    def guesses(self, name: str) -> Iterator[tuple[str, str]]:
        """Variations of one name, each with the pattern that made it."""
        stem, _, ending = name.rpartition(".")
        for other in self.endings:
            if other != ending:
                yield f"{stem}.{other}", "another ending"
        suffix = _SUFFIX.search(stem)
        bare = stem[: suffix.start()] if suffix else stem
        for other in self.suffixes:
            yield f"{bare}{other}.{ending}", "another suffix"
        for digits in _NUMBER.finditer(stem):
            width, value = len(digits.group()), int(digits.group()[:9])
            for number in range(max(0, value - 20), value + 21):
                text = str(number).zfill(width)
                yield f"{stem[: digits.start()]}{text}{stem[digits.end() :]}.{ending}", "a number in a row"
        for text, times in Counter(_NUMBER.findall(stem)).items():
            if times > 1:
                for number in range(max(0, int(text[:9]) - 20), int(text[:9]) + 21):
                    yield f"{stem.replace(text, str(number).zfill(len(text)))}.{ending}", "a number in a row"
        file = name.rsplit("/", 1)[-1]
        if "/" not in name:
            for folder in self.folders:
                yield f"{folder}/{file}" if folder else file, "a known folder"


def _frequent(counter: Counter[str], most: int) -> tuple[str, ...]:
    return tuple(text for text, _ in counter.most_common(most))


def harvest(
    mentioned: Callable[[], Iterable[str]], known: Sequence[str], rules: Hashing, unknown: AnyArray, context: Context
) -> list[Won]:
    """Names for `unknown` hashes (n,) uint64 from texts that the game mentions, grown by habits of `known` names.

    What is won in one round is varied in the next. Sorted by name.
    """
    won: dict[int, Won] = {}
    texts = set(mentioned())
    _try(((text, "mentioned in the game") for text in texts), rules, unknown, won, context)
    fresh: list[str] = [*known, *texts]
    for number in range(_ROUNDS):
        context.progress(0.5 + 0.5 * number / _ROUNDS, f"{len(won):,} names won")
        habits = Habits.learn([*known, *(w.name for w in won.values())])
        before = set(won)
        guesses = islice((guess for name in fresh for guess in habits.guesses(name)), _MOST_GUESSES)
        _try(guesses, rules, unknown, won, context)
        fresh = [won[code].name for code in won if code not in before]
        if not fresh:
            break
    return sorted(won.values(), key=lambda w: w.name)


def _try(
    guesses: Iterator[tuple[str, str]], rules: Hashing, unknown: AnyArray, won: dict[int, Won], context: Context
) -> None:
    """Hash guesses batch by batch; the first that fits a hash keeps it."""
    wanted = unknown.astype(np.uint64)
    while batch := list(islice(guesses, _BATCH)):
        context.check()
        hashes = hash_names(names_of(text.encode() for text, _ in batch), rules)
        for at in np.flatnonzero(positions_of(hashes, wanted) >= 0).tolist():
            code = int(hashes[at])
            won.setdefault(code, Won(batch[at][0], code, batch[at][1]))
