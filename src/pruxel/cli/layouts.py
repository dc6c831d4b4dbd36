"""`pruxel layout`: whether a layout holds together, and what it reads of a file."""

from __future__ import annotations

import sys
from dataclasses import asdict
from pathlib import Path
from typing import Annotated, Any

import typer

from pruxel.cli.options import print_json
from pruxel.cli.told import EXIT_INPUT, told

app = typer.Typer(no_args_is_help=True, help="Layouts: check one, or see what it reads of a file.")
LayoutFile = Annotated[Path, typer.Argument(help="the layout, a YAML file", exists=True, dir_okay=False)]


@app.command()
def check(
    layout: LayoutFile,
    files: Annotated[list[Path] | None, typer.Argument(help="files that it should read")] = None,
) -> None:
    """Tell all that is wrong with a layout, with line and column; then read files by it."""
    from pruxel.core.disk.files import map_file, read_text
    from pruxel.core.knowledge.layout_files import known_beside
    from pruxel.core.recipe.layout_check import check_layout, what_it_yields
    from pruxel.core.sources.folder import FileSource

    with told():
        text = read_text(layout)
        found, faults = check_layout(text, layout.name, known_beside(layout, text))
        for fault in faults:
            sys.stderr.write(f"pruxel: {fault.line()}\n")
        if found is None or faults:
            raise typer.Exit(EXIT_INPUT)
        sys.stdout.write(f"{layout.name}: holds together; yields {', '.join(found.yields) or 'records'}\n")
        for path in files or ():
            for line in what_it_yields(found, map_file(path), path.name, FileSource(path).beside):
                sys.stdout.write(f"{path.name}: {line}\n")


@app.command()
def explain(
    layout: LayoutFile,
    file: Annotated[Path, typer.Argument(help="the file to read", exists=True, dir_okay=False)],
    *,
    as_json: Annotated[bool, typer.Option("--json", help="as one JSON value")] = False,
    depth: Annotated[int, typer.Option(help="how many levels of records", min=1, max=32)] = 4,
) -> None:
    """Show the records of a file: each field with its bytes and its value; what was read before a failure too."""
    from pruxel.core.base.errors import InputError
    from pruxel.core.binary.explain import explained
    from pruxel.core.disk.files import map_file
    from pruxel.core.knowledge.layout_files import load_layout_file
    from pruxel.core.sources.folder import FileSource

    with told():
        tree, fault = explained(load_layout_file(layout), map_file(file), file.name, depth, FileSource(file).beside)
        if as_json:
            print_json({"fields": tree, "fault": None if fault is None else fault.line()})
        else:
            _write(tree, 0)
        if fault is not None:
            raise InputError.of(fault)


@app.command()
def guess(
    file: Annotated[Path, typer.Argument(help="the file of an unknown format", exists=True, dir_okay=False)],
    *,
    as_json: Annotated[bool, typer.Option("--json", help="as one JSON value")] = False,
    write: Annotated[Path | None, typer.Option(help="write the layout of the likeliest mesh or picture there")] = None,
) -> None:
    """Tell what a file of an unknown format may hold, from its bytes alone, each guess with its reasons."""
    from pruxel.core.base.context import Context
    from pruxel.core.base.writing import write_below
    from pruxel.core.disk.files import map_file
    from pruxel.core.guessing.guess import guess as guesses

    with told():
        found = guesses(map_file(file), file.name, Context())
        if as_json:
            print_json(asdict(found))
        else:
            for one in found.found:
                sys.stdout.write(f"{one.confidence:4.0%}  {one.kind}: {one.title}\n")
                for reason in one.reasons:
                    sys.stdout.write(f"        {reason}\n")
            if found.looked_at < found.size:
                sys.stdout.write(f"Only the first {found.looked_at:,} of {found.size:,} bytes were looked at.\n")
        layout = next((one.layout for one in found.found if one.layout), "")
        if write is not None and layout:
            write_below(write.resolve().parent, write.name, [layout.encode()])


def _write(fields: list[dict[str, Any]], level: int) -> None:
    """First byte, bytes, name and value of each field."""
    for one in fields:
        first, end = one["bytes"]
        sys.stdout.write(f"{first:>10,} {end - first:>9,}  {'  ' * level}{one['name']}  {one['value']}\n")
        _write(one.get("fields", []), level + 1)
