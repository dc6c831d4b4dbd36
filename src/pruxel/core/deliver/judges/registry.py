"""What a judge is, and the list of all judges."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass
from pathlib import Path

from pruxel.core.base.registry import Registry
from pruxel.core.deliver.proof.checks import Check, Tolerances
from pruxel.core.formats.registry import Format, Options
from pruxel.core.scene.model import Scene


@dataclass(frozen=True)
class Exhibit:
    """A delivered file before its judges: `main` with what lies beside it, and what it was written from."""

    main: Path
    scene: Scene
    format: Format
    options: Options
    tolerances: Tolerances


@dataclass(frozen=True)
class Judge:
    """A reader by which files are proven. `name` is what formats call it, `title` what a person is told.

    `ask` compares what it reads with what was written; raises `JudgeMissing` or `JudgeFailed`.
    """

    name: str
    title: str
    ask: Callable[[Exhibit], list[Check]]


JUDGES: Registry[Judge] = Registry("judge")


def judge(name: str, title: str) -> Callable[[Callable[[Exhibit], list[Check]]], Callable[[Exhibit], list[Check]]]:
    """Register a function as a judge."""

    def registered(ask: Callable[[Exhibit], list[Check]]) -> Callable[[Exhibit], list[Check]]:
        JUDGES.add(name, Judge(name, title, ask))
        return ask

    return registered
