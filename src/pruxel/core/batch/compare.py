"""What came out differently than in an earlier run, item by item."""

from __future__ import annotations

from collections import Counter
from collections.abc import Iterable
from itertools import zip_longest

from pruxel.core.batch.items import ItemTold, StepTold

_SAME_SIZE = 1e-3
_NO_STEP = StepTold("", "")


def compare_items(before: ItemTold, now: ItemTold) -> tuple[str, ...]:
    """What is other now, each in a line; nothing where both came to the same."""
    if before.state != now.state or before.fault != now.fault:
        was = before.fault or "it went well"
        return (f"{now.fault or 'it goes well now'} (before: {was})",)
    if before.digest == now.digest and before.findings == now.findings:
        return _delivered(before, now)
    lines = []
    if before.triangles != now.triangles:
        lines.append(f"{now.triangles:,} triangles (before: {before.triangles:,})")
    if _sizes_differ(before, now):
        lines.append(f"{_size(now)} m (before: {_size(before)})")
    if before.materials != now.materials:
        lines.append(f"{now.materials} materials (before: {before.materials})")
    mine, theirs = Counter(now.findings), Counter(before.findings)
    lines += [f"new finding: {title}" for title in (mine - theirs)]
    lines += [f"no more: {title}" for title in (theirs - mine)]
    for old, new in zip_longest(before.steps, now.steps, fillvalue=_NO_STEP):
        if (old.step, old.summary, old.fault) != (new.step, new.summary, new.fault):
            lines.append(f"{new.title or old.title}: {_did(new)} (before: {_did(old)})")
    return (*(lines or ["shapes or materials are others"]), *_delivered(before, now))


def compare_batches(before: Iterable[ItemTold], now: Iterable[ItemTold]) -> dict[str, tuple[str, ...]]:
    """Lines by item, for those that are others; an item is the same thing when its entries are."""
    old, new = ({one.entries: one for one in items} for items in (before, now))
    lines = {one.name: compare_items(old[key], one) for key, one in new.items() if key in old}
    lines |= {one.name: ("not there before",) for key, one in new.items() if key not in old}
    lines |= {one.name: ("no more there",) for key, one in old.items() if key not in new}
    return {name: said for name, said in lines.items() if said}


def _delivered(before: ItemTold, now: ItemTold) -> tuple[str, ...]:
    if before.delivered == now.delivered:
        return ()
    return (f"delivery: {now.delivered or 'none'} (before: {before.delivered or 'none'})",)


def _did(step: StepTold) -> str:
    return step.fault or step.summary or "not run"


def _size(one: ItemTold) -> str:
    return " × ".join(f"{side:.3g}" for side in one.size)


def _sizes_differ(before: ItemTold, now: ItemTold) -> bool:
    largest = max((*before.size, *now.size), default=0.0)
    pairs = zip_longest(before.size, now.size, fillvalue=0.0)
    return any(abs(a - b) > _SAME_SIZE * largest for a, b in pairs)
