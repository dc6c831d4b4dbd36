"""Whether a file without a magic is of a format: what its first fields say is tried against its size."""

from __future__ import annotations

from pruxel.core.base.context import Context
from pruxel.core.base.errors import InputError
from pruxel.core.binary.expressions import compile_expression
from pruxel.core.binary.parse import parse
from pruxel.core.binary.schema import FieldSpec, Layout


def holds(test: str, layout: Layout, head: bytes, size: int, name: str) -> bool:
    """Whether a condition over the first fields of `file` is true.

    `head` are a file's first bytes, `size` is how many it has. No further is read than to the last field that the
    condition names; what cannot be read is not of this format.
    """
    fields = _fields_for(test, layout)
    short = layout.model_copy(
        update={
            "records": layout.records | {"file": fields},
            "constants": layout.constants | {"file_end": size},
        }
    )
    try:
        record = parse(short, memoryview(head), name, Context(), any_version=True)
        found = compile_expression(test)(record)
    except InputError:
        return False
    return isinstance(found, int | float) and bool(found)


def _fields_for(test: str, layout: Layout) -> tuple[FieldSpec, ...]:
    """The fields of `file` up to the last that a condition names, itself or through `let`."""
    fields, known = layout.records["file"], layout.let
    meant, waiting = set[str](), [test]
    while waiting:
        names = compile_expression(waiting.pop()).names - meant
        meant |= names
        waiting += [known[name] for name in names & known.keys()]
    last = max((number for number, spec in enumerate(fields) if spec.name in meant), default=-1)
    return fields[: last + 1]
