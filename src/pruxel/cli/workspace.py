"""What the commands share: sources from arguments, errors to exit codes."""

from __future__ import annotations

import sys
from collections.abc import Iterator
from contextlib import contextmanager
from fnmatch import fnmatchcase
from pathlib import Path

import typer

from pruxel.core.base.context import Context
from pruxel.core.base.errors import InputError, ProofError, PruxelError, UsageError
from pruxel.core.binary.load import load_layout
from pruxel.core.sources.files import read_text
from pruxel.core.sources.profile import Profile, find_profile, load_profile, with_layouts
from pruxel.core.sources.stack import Stack, StackEntry, build_stack, open_sources

EXIT_USAGE, EXIT_INPUT, EXIT_PROOF = 2, 3, 4


@contextmanager
def told() -> Iterator[None]:
    """Errors of the core become one or two lines on stderr and an exit code."""
    try:
        yield
    except PruxelError as error:
        sys.stderr.write(f"pruxel: {error.fault.line()}\n")
        raise typer.Exit(_code(error)) from None
    except BrokenPipeError:
        raise typer.Exit(0) from None


def _code(error: PruxelError) -> int:
    if isinstance(error, ProofError):
        return EXIT_PROOF
    return EXIT_USAGE if isinstance(error, UsageError) else EXIT_INPUT if isinstance(error, InputError) else 1


def open_stack(sources: list[Path], profile: Path | None, layouts: list[Path], context: Context) -> Stack:
    """Open all sources in order; a folder's own profile is used unless one is named."""
    found = profile or next((p for s in sources if s.is_dir() and (p := find_profile(s))), None)
    known = load_profile(found) if found is not None else Profile()
    known = with_layouts(known, [load_layout(read_text(p), p.name) for p in layouts])
    opened = [source for path in sources for source in open_sources(path, known)]
    stack = build_stack(opened, known, context)
    for fault in stack.problems:
        sys.stderr.write(f"pruxel: {fault.line()}\n")
    if not stack.entries and stack.problems:
        raise typer.Exit(EXIT_INPUT)
    return stack


def matching(stack: Stack, glob: str | None, kind: str | None) -> list[StackEntry]:
    """Entries by pattern (`**/` also means no folder at all) and kind, sorted by path."""
    found = sorted(stack.entries.values(), key=lambda e: e.path)
    if glob is not None:
        short = glob.removeprefix("**/")
        found = [e for e in found if fnmatchcase(e.path, glob) or fnmatchcase(e.path, short)]
    return [e for e in found if kind is None or e.kind == kind]
