"""`pruxel`: the same way as in the browser, for scripts. Options and output fields are a contract.

A command's own room is imported when the command runs, so that asking for help loads none of them.
"""

from __future__ import annotations

import typer

from pruxel.cli import layouts
from pruxel.cli.assemble import assemble
from pruxel.cli.commands import convert, formats, inspect, sample
from pruxel.cli.entries import carve, diff, extract, list_entries
from pruxel.cli.motion import clips, fit, pose
from pruxel.cli.project import doctor, project
from pruxel.cli.proving import prove
from pruxel.cli.server import migrate, openapi, serve, worker
from pruxel.cli.steps import batch, step
from pruxel.core.base.garbage import look_seldom

app = typer.Typer(
    no_args_is_help=True,
    add_completion=False,
    help="From game files to a proven 3D file.",
    pretty_exceptions_enable=False,
)
app.command()(serve)
app.command()(worker)
app.command()(migrate)
app.command(hidden=True)(openapi)

app.command("list")(list_entries)
app.command()(extract)
app.command()(carve)
app.command()(diff)
app.command()(sample)
app.command()(inspect)
app.command()(clips)
app.command()(fit)
app.command()(pose)
app.command()(convert)
app.command()(assemble)
app.command()(step)
app.command()(batch)
app.command()(formats)
app.command()(prove)
app.command()(doctor)
app.add_typer(layouts.app, name="layout")
app.add_typer(project, name="project")


def main() -> None:
    """Entry point."""
    look_seldom()
    app()
