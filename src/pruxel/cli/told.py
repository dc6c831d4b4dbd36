"""Errors of the core become one or two lines on stderr and an exit code."""

from __future__ import annotations

import sys
from collections.abc import Iterator
from contextlib import contextmanager

import typer

from pruxel.core.base.errors import InputError, ProofError, PruxelError, UsageError

EXIT_USAGE, EXIT_INPUT, EXIT_PROOF = 2, 3, 4


@contextmanager
def told() -> Iterator[None]:
    """Tell what stopped the work and end with its code."""
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
