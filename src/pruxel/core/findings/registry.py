"""What a rule is, the list of all rules, and asking them all."""

from __future__ import annotations

from collections.abc import Callable, Iterable
from dataclasses import dataclass

from pruxel.core.base.context import Context
from pruxel.core.base.findings import Finding, Severity
from pruxel.core.base.registry import Registry
from pruxel.core.scene.model import Scene

Look = Callable[[Scene, Context], Iterable[Finding]]


@dataclass(frozen=True)
class Rule:
    """One registered rule. `proposes` is whether its findings may say which step mends them."""

    name: str
    title: str
    look: Look
    proposes: bool = True


RULES: Registry[Rule] = Registry("rule")


def rule(name: str, title: str, *, proposes: bool = True) -> Callable[[Look], Look]:
    """Register the decorated function as a rule."""

    def add(look: Look) -> Look:
        RULES.add(name, Rule(name, title, look, proposes))
        return look

    return add


_ORDER = {Severity.PROBLEM: 0, Severity.WARNING: 1, Severity.NOTE: 2}


def find(scene: Scene, context: Context) -> list[Finding]:
    """Ask every rule; the worst findings come first."""
    found: list[Finding] = []
    for one, part in context.each(list(RULES), lambda r: r.title):
        found.extend(one.look(scene, part))
    return sorted(found, key=lambda f: (_ORDER[f.severity], f.rule, f.parts))
