"""Delivered files before their judges."""

from __future__ import annotations

from collections.abc import Sequence
from concurrent.futures import ThreadPoolExecutor

import pruxel.core.deliver.judges as judges_room
from pruxel.core.base.context import Context
from pruxel.core.base.registry import import_all
from pruxel.core.deliver.judges.registry import JUDGES, Exhibit, Judge
from pruxel.core.deliver.proof.checks import Check, Proof
from pruxel.core.deliver.proof.judge import JudgeFailed, JudgeMissing

import_all(judges_room)
_SIDE_BY_SIDE = 2


def prove(exhibits: Sequence[Exhibit], context: Context) -> list[list[Proof]]:
    """Read each delivered main file back by every judge of its format and compare it with the scene that was written.

    Judges are programs of their own and read side by side. One that cannot read the file is a failed check; one that
    is not there is a proof that was not made.
    """
    with ThreadPoolExecutor(_SIDE_BY_SIDE) as pool:
        waiting = [
            [pool.submit(_judged, one, JUDGES.get(name), context) for name in one.format.judges] for one in exhibits
        ]
        found = []
        for number, (one, proofs) in enumerate(zip(exhibits, waiting, strict=True)):
            context.progress(number / len(exhibits), f"reading {one.main.name} back")
            found.append([proof.result() for proof in proofs])
    return found


def _judged(one: Exhibit, asked: Judge, context: Context) -> Proof:
    context.check()
    try:
        return Proof(one.main.name, asked.title, tuple(asked.ask(one)))
    except JudgeMissing as missing:
        return Proof(one.main.name, asked.title, (), not_made=str(missing))
    except JudgeFailed as failed:
        return Proof(one.main.name, asked.title, (Check("the file opens", "yes", f"no: {failed}", passed=False),))
