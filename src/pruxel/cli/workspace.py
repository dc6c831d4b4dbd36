"""What the commands share: sources from arguments."""

from __future__ import annotations

import sys
from collections.abc import Sequence
from dataclasses import dataclass
from pathlib import Path

import typer

from pruxel.cli.told import EXIT_INPUT
from pruxel.core.base.context import Context
from pruxel.core.base.errors import ErrorCode, InputError, UsageError
from pruxel.core.disk.files import read_text
from pruxel.core.knowledge.keys import parse_key
from pruxel.core.knowledge.known import Knowledge
from pruxel.core.knowledge.layout_files import load_layout_file
from pruxel.core.knowledge.patterns import matches
from pruxel.core.knowledge.profile import Profile
from pruxel.core.knowledge.profile_files import LoadedProfile, find_profiles, load_profile, with_layouts
from pruxel.core.recipe.inputs import Opener
from pruxel.core.sources.open import Opened, in_language, open_address
from pruxel.core.sources.stack import Stack, StackEntry, build_stack

_KEY_BYTES = 1 << 16


@dataclass(frozen=True)
class Given:
    """What the options say about the sources; an option that may be repeated is None where it was not given."""

    profile: Path | None = None
    layouts: Sequence[Path] | None = None
    language: str | None = None
    keys: Sequence[str] | None = None
    names: Sequence[Path] | None = None
    without: Sequence[str] | None = None
    any_version: bool = False


def _keys(texts: Sequence[str]) -> dict[str, bytes]:
    found = {}
    for text in texts:
        name, equals, value = text.partition("=")
        if not equals or not name:
            raise UsageError(
                ErrorCode.USAGE, "a key is given as NAME=@FILE or NAME=HEX", expected="for example reef-2=@reef.key"
            )
        # What stands in a command is seen by everybody who lists the processes; what stands in a file is not.
        found[name] = parse_key(read_text(Path(value[1:]), _KEY_BYTES).strip() if value.startswith("@") else value)
    return found


def knowledge_of(sources: list[str], given: Given) -> Knowledge:
    """The profile (a folder's own unless one is named), keys and names that the options bring."""
    folders = [Path(s) for s in sources if Path(s).is_dir()]
    own = next((found[0] for folder in folders if (found := find_profiles(folder))), None)
    path = given.profile or own
    loaded = load_profile(path) if path is not None else LoadedProfile(Profile(), None)
    loaded = with_layouts(loaded, [load_layout_file(p) for p in given.layouts or ()])
    return Knowledge(loaded.profile, _keys(given.keys or ()), loaded.names(given.names or ()), given.any_version)


def stack_of(sources: Sequence[str], given: Given, context: Context) -> Stack:
    """All sources in order."""
    known = knowledge_of(list(sources), given)
    opened: list[Opened] = [found for address in sources for found in open_address(address, known, context)]
    language = given.language or next(iter(known.profile.spec.languages()), None)
    chosen = [o.source for o in in_language(opened, language) if not matches(o.source.label, given.without or ())]
    return build_stack(chosen, known.profile, context)


def open_stack(sources: Sequence[str], given: Given, context: Context) -> Stack:
    """Open all sources in order. Problems go to stderr; with nothing left to list the command ends."""
    stack = stack_of(sources, given, context)
    for fault in stack.problems:
        sys.stderr.write(f"pruxel: {fault.line()}\n")
    if not stack.entries and stack.problems:
        raise typer.Exit(EXIT_INPUT)
    return stack


def opener_of(sources: tuple[str, ...], given: Given) -> Opener:
    """What opens entries of these sources, for processes that each open them anew: what is wrong is told by one."""
    return Opener(stack_of(sources, given, Context()))


def check_there(stack: Stack, entries: Sequence[str]) -> None:
    """Raise `InputError` for the first of these entries that is not in the sources."""
    for path in entries:
        if path not in stack.entries:
            raise InputError(ErrorCode.NOT_FOUND, f"there is no entry '{path}'", hint="List the entries first.")


def matching(stack: Stack, pattern: str | None, kind: str | None) -> list[StackEntry]:
    """Entries by pattern and kind, sorted by path."""
    found = sorted(stack.entries.values(), key=lambda e: e.path)
    if pattern is not None:
        found = [e for e in found if matches(e.path, (pattern,))]
    return [e for e in found if kind is None or e.kind == kind]
