"""One delivered file before its judges."""

from __future__ import annotations

import pruxel.core.deliver.judges as judges_room
from pruxel.core.base.context import Context
from pruxel.core.base.registry import import_all
from pruxel.core.deliver.judges.registry import JUDGES, Exhibit, Judge
from pruxel.core.deliver.proof.checks import Check, Proof
from pruxel.core.deliver.proof.judge import JudgeFailed, JudgeMissing

import_all(judges_room)


def prove(one: Exhibit, context: Context) -> list[Proof]:
    """Read a delivered main file back by every judge of its format and compare it with the scene that was written.

    A reader that cannot read the file is a failed check; one that is not there is a proof that was not made.
    """
    asked = [JUDGES.get(name) for name in one.format.judges]
    return [_judged(one, found) for found, _ in context.each(asked, lambda j: f"{j.title} reads {one.main.name}")]


def _judged(one: Exhibit, asked: Judge) -> Proof:
    try:
        return Proof(one.main.name, asked.title, tuple(asked.ask(one)))
    except JudgeMissing as missing:
        return Proof(one.main.name, asked.title, (), not_made=str(missing))
    except JudgeFailed as failed:
        return Proof(one.main.name, asked.title, (Check("the file opens", "yes", f"no: {failed}", passed=False),))
