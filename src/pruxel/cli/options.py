"""Options that several commands have."""

from __future__ import annotations

import json
import sys
from pathlib import Path
from typing import Annotated

import typer
from rich.console import Console

Sources = Annotated[
    list[str], typer.Argument(metavar="SOURCE...", help="folders, packs or files; pack.brp!inner.brp looks inside")
]
ProfileOption = Annotated[Path | None, typer.Option("--profile", help="profile to use")]
LayoutOption = Annotated[list[Path] | None, typer.Option("--layout", help="layout to add; may be repeated")]
JsonOption = Annotated[bool, typer.Option("--json", help="print JSON")]
MatchOption = Annotated[str | None, typer.Option("--match", help="pattern of paths, e.g. '**/*crab*'")]
LanguageOption = Annotated[str | None, typer.Option("--language", help="language of the layers that count")]
KeyOption = Annotated[
    list[str] | None,
    typer.Option("--key", metavar="NAME=@FILE", help="a key, in a file or as NAME=HEX; may be repeated"),
]
NamesOption = Annotated[list[Path] | None, typer.Option("--names", help="list of paths for hashed names")]
WithoutOption = Annotated[list[str] | None, typer.Option("--without", metavar="SOURCE", help="leave a source out")]
AnyVersionOption = Annotated[
    bool, typer.Option("--any-version", help="read an unknown version by the nearest known layout")
]
console = Console()


def print_json(value: object) -> None:
    """JSON to standard output."""
    sys.stdout.write(json.dumps(value, indent=1, ensure_ascii=False) + "\n")
