"""The slots of a thing made of parts, and what may stand in each, as the project's profile and its entries say."""

from __future__ import annotations

import uuid
from collections.abc import Mapping, Sequence
from dataclasses import replace
from typing import Any

from sqlalchemy import select

from pruxel.core.base.errors import ErrorCode, UsageError
from pruxel.core.knowledge.kinds import Kind
from pruxel.core.knowledge.slots import Slot, filling, slots_of
from pruxel.core.recipe.document import StepUse
from pruxel.core.steps.registry import STEPS
from pruxel.server.jobs.sight import draw_soon
from pruxel.server.jobs.stacks import StoredStack, split_source, stored_stack
from pruxel.server.store.database import reading
from pruxel.server.store.marks import found_by_pattern
from pruxel.server.store.tables import EntryRow

_MOST_FOUND = 2_000


def slots_for(project: uuid.UUID, entries: Sequence[str]) -> list[dict[str, Any]]:
    """The slots of what the first of some entries holds, each variant with its picture. Runs aside."""
    stack = stored_stack(project)
    slots = known_slots(stack, entries)
    paths = [variant.path for slot in slots for variant in slot.variants]
    with reading() as db:
        wanted = (EntryRow.slot.in_(stack.state.winning), EntryRow.path.in_(paths))
        rows = {r.path: r for r in db.execute(select(EntryRow.path, EntryRow.id, EntryRow.picture).where(*wanted))}
    draw_soon(stack.state, [path for path, row in rows.items() if row.picture is None])
    return [
        {
            "name": slot.name,
            "params": filling(slot, ""),
            "variants": [
                vars(one) | {"entry": rows[one.path].id, "picture": rows[one.path].picture}
                for one in slot.variants
                if one.path in rows
            ],
        }
        for slot in slots
    ]


def known_slots(stack: StoredStack, entries: Sequence[str]) -> list[Slot]:
    """The slots of the first entry that a thing may be built on; what it was opened with fills none of them."""
    base = next((path for path in entries if stack.kind_of(path) in {Kind.MODEL, Kind.SKELETON}), None)
    if base is None:
        return []
    with reading() as db:

        def find(pattern: str) -> tuple[str, ...]:
            found = found_by_pattern(db, stack.state, pattern, _MOST_FOUND)
            wanted = (EntryRow.slot.in_(stack.state.winning), EntryRow.path.in_(found), EntryRow.kind == Kind.MODEL)
            models = set(db.execute(select(EntryRow.path).where(*wanted)).scalars())
            return tuple(path for path in found if path in models)

        slots = slots_of(split_source(base)[1], stack.profile.spec.slots, find)
    taken = {split_source(path)[1] for path in entries}
    return [replace(slot, variants=tuple(v for v in slot.variants if v.path not in taken)) for slot in slots]


def dressing(stack: StoredStack, entries: Sequence[str], wears: Mapping[str, str]) -> list[dict[str, Any]]:
    """The steps that fill slots; raises `UsageError` for a slot or an entry that is not known there."""
    slots = {slot.name: slot for slot in known_slots(stack, entries)} if wears else {}
    steps = []
    for name in sorted(wears, key=lambda one: list(slots).index(one) if one in slots else -1):
        slot = slots.get(name)
        known = [] if slot is None else [variant.path for variant in slot.variants]
        if slot is None or wears[name] not in known:
            raise UsageError(
                ErrorCode.USAGE, f"'{wears[name]}' does not go into a slot '{name}' here",
                expected=", ".join(known[:8] if slot else slots) or "an entry with slots", found=wears[name],
            )  # fmt: skip
        use = StepUse(step="fill_slot", params=filling(slot, wears[name]))
        STEPS.get(use.step).parse(use.params)
        steps.append(use.model_dump(mode="json"))
    return steps
