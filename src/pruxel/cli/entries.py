"""`pruxel list`, `extract`, `carve` and `diff`: entries as they are."""

from __future__ import annotations

import sys
from dataclasses import asdict
from pathlib import Path
from typing import Annotated

import typer

from pruxel.cli.options import (
    AnyVersionOption,
    JsonOption,
    KeyOption,
    LanguageOption,
    LayoutOption,
    MatchOption,
    NamesOption,
    ProfileOption,
    Sources,
    WithoutOption,
    console,
    print_json,
)
from pruxel.cli.told import told
from pruxel.core.base.context import Context
from pruxel.core.base.errors import ErrorCode, InputError
from pruxel.core.base.writing import cannot_write, make_folder, write_below


def list_entries(
    sources: Sources,
    *,
    profile: ProfileOption = None,
    layout: LayoutOption = None,
    match: MatchOption = None,
    kind: Annotated[str | None, typer.Option(help="model, texture, material, …")] = None,
    language: LanguageOption = None,
    key: KeyOption = None,
    names: NamesOption = None,
    without: WithoutOption = None,
    any_version: AnyVersionOption = False,
    as_json: JsonOption = False,
) -> None:
    """List the entries of the merged sources."""
    from pruxel.cli.workspace import Given, matching, open_stack

    given = Given(profile, layout, language, key, names, without, any_version)
    with told():
        found = matching(open_stack(sources, given, Context()), match, kind)
    if as_json:
        print_json([asdict(entry) | {"shadowed": list(entry.shadowed)} for entry in found])
        return
    from rich.table import Table

    table = Table("path", "kind", "size", "source", "shadowed", box=None)
    for entry in found:
        table.add_row(entry.path, entry.kind, f"{entry.size:,}", entry.source, ", ".join(entry.shadowed))
    console.print(table)


def extract(
    sources: Sources,
    *,
    match: Annotated[str, typer.Option("--match", help="pattern of paths")],
    out: Annotated[Path, typer.Option("--out", help="folder to write into")],
    profile: ProfileOption = None,
    layout: LayoutOption = None,
    language: LanguageOption = None,
    key: KeyOption = None,
    names: NamesOption = None,
    without: WithoutOption = None,
    flat: Annotated[bool, typer.Option("--flat", help="no folders")] = False,
) -> None:
    """Write the raw bytes of entries."""
    from pruxel.cli.workspace import Given, matching, open_stack
    from pruxel.core.disk.files import steady
    from pruxel.core.disk.names import Places, safe_path

    context = Context()
    given = Given(profile, layout, language, key, names, without)
    with told():
        stack = open_stack(sources, given, context)
        found = matching(stack, match, None)
        if not found:
            raise InputError(ErrorCode.NOT_FOUND, f"no entry matches '{match}'", hint="List the entries first.")
        places, failed = Places(), 0
        make_folder(out)
        for entry in found:
            name = places.take(safe_path(entry.path.rsplit("/", 1)[-1] if flat else entry.path))
            try:
                write_below(out, name, [steady(stack.read(entry.path, context))])
            except InputError as error:
                sys.stderr.write(f"pruxel: {error.fault.line()}\n")
                failed += 1
                continue
            except OSError as error:
                raise cannot_write(error, out / name) from error
            console.print(f"{name}  {entry.size:,} bytes")
    if failed:
        raise typer.Exit(3)


def carve(
    file: Annotated[Path, typer.Argument(metavar="FILE")],
    *,
    out: Annotated[Path | None, typer.Option("--out", help="folder to write the finds into")] = None,
    only: Annotated[str | None, typer.Option("--only", help="pattern of endings, e.g. png")] = None,
    first: Annotated[int, typer.Option(help="first byte to look at")] = 0,
    last: Annotated[int | None, typer.Option(help="byte to stop before")] = None,
    as_json: JsonOption = False,
) -> None:
    """Find pictures, models and archives inside any file."""
    from pruxel.core.disk.files import map_file
    from pruxel.core.knowledge.patterns import matches
    from pruxel.core.sources.carve import carve as carve_bytes

    with told():
        data = map_file(file)
        found = carve_bytes(data, file.name, Context(), first, last)
        hits = [hit for hit in found.hits if only is None or matches(hit.ending, [only])]
        if out is not None:
            make_folder(out)
            for hit in hits:
                write_below(out, hit.path, [data[hit.offset : hit.offset + hit.size]])
    if as_json:
        print_json([asdict(hit) | {"kind": str(hit.kind), "path": hit.path} for hit in hits])
        return
    for hit in hits:
        console.print(f"{hit.offset:>14,}  {hit.size:>12,}  {hit.format:12} {hit.path}", highlight=False)
    console.print(f"{len(hits)} found")
    for name in found.given_up:
        console.print(f"given up on {name}: too many of its beginnings have no end; search a smaller range")


def diff(
    old: Annotated[str, typer.Argument(metavar="OLD")],
    new: Annotated[str, typer.Argument(metavar="NEW")],
    *,
    profile: ProfileOption = None,
    language: LanguageOption = None,
    key: KeyOption = None,
    names: NamesOption = None,
    as_json: JsonOption = False,
) -> None:
    """Tell which entries were added, removed, changed in content or moved between two versions of a game."""
    from pruxel.cli.workspace import Given, open_stack
    from pruxel.core.sources.compare import compare

    context = Context()
    given = Given(profile, None, language, key, names)
    with told():
        found = compare(open_stack([old], given, context), open_stack([new], given, context), context)
    if as_json:
        print_json(asdict(found))
        return
    for word, paths in (("added", found.added), ("removed", found.removed), ("changed", found.changed)):
        for path in paths:
            console.print(f"{word:8} {path}", highlight=False)
    for moved in found.moved:
        console.print(f"moved    {moved.old} → {moved.new}", highlight=False)
    console.print(f"{found.same:,} entries are the same")
