"""Work on the items of a batch: open, run the recipe, look for what is left, deliver. One failure stops only its item.

Several processes share the items; each opens the sources once.
"""

from __future__ import annotations

import json
from collections.abc import Callable, Iterator, Mapping, Sequence
from concurrent.futures import ProcessPoolExecutor, as_completed
from concurrent.futures.process import BrokenProcessPool
from dataclasses import dataclass, replace
from functools import lru_cache
from multiprocessing import get_context
from multiprocessing.context import ForkServerContext
from pathlib import Path
from typing import Any

from pruxel.core.base.context import Context
from pruxel.core.base.errors import CancelledError, ErrorCode, Fault, PruxelError
from pruxel.core.base.writing import make_folder, write_below
from pruxel.core.batch.items import ItemTold, item_failed, item_of, item_told, no_report
from pruxel.core.deliver.deliver import deliver
from pruxel.core.deliver.plan import Plan
from pruxel.core.disk.names import Places, safe_path
from pruxel.core.knowledge.meant import meant_in
from pruxel.core.recipe.cache import MemoryCache
from pruxel.core.recipe.document import StepUse
from pruxel.core.recipe.inputs import Opener
from pruxel.core.recipe.library import EntryLibrary
from pruxel.core.recipe.rules import check_rule
from pruxel.core.recipe.run import run_recipe

REPORT = "batch.json"
_CACHE_BYTES = 256 << 20


@dataclass(frozen=True)
class Item:
    """Entries that are opened together, and the folder below the output that their files go to."""

    name: str
    entries: tuple[str, ...]
    folder: str


@dataclass(frozen=True)
class Wish:
    """What is done with each item; nothing is delivered without an output folder and formats."""

    steps: tuple[StepUse, ...] = ()
    formats: tuple[str, ...] = ()
    options: Mapping[str, Mapping[str, Any]] | None = None
    plan: Plan | None = None
    out: Path | None = None
    # Nothing is delivered where a step does not fit.
    strict: bool = False

    def check(self) -> None:
        """Raise `UsageError` for a step or rule that no item could be worked on with."""
        for use in self.steps:
            check_rule(use)


def items_of(paths: Sequence[str]) -> tuple[Item, ...]:
    """One item for each entry, its folder called as the entry is, safe on every file system, none twice."""
    places = Places()
    found = []
    for path in paths:
        stem = path.rsplit(".", 1)[0] if "." in path.rsplit("/", 1)[-1] else path
        found.append(Item(stem.rsplit("/", 1)[-1], (path,), places.take(safe_path(stem))))
    return tuple(found)


def work_on(opener: Opener, item: Item, wish: Wish, context: Context) -> ItemTold:
    """Do what is wished with one item. Whatever it fails of is told in what comes back; only a stop raises."""
    try:
        scene = opener.scene(list(item.entries), context.part(0.0, 0.3))
        part, library = context.part(0.3, 0.6), EntryLibrary(opener)
        aside = meant_in(opener.stack.profile.spec.meant_so, item.entries)
        run = run_recipe(scene, wish.steps, MemoryCache(_CACHE_BYTES), part, library=library, aside=aside)
        told = item_told(item.name, item.entries, run, context.part(0.6, 0.7), aside)
        unfit = wish.strict and any(one.fault for one in told.steps)
        if wish.out is None or not wish.formats or unfit:
            return told
        home = wish.out / item.folder
        make_folder(home)
        report = deliver(
            [run.scene], item.name, wish.formats, home, context.part(0.7, 1.0), wish.options or {}, wish.plan or Plan()
        )
    except CancelledError:
        raise
    except PruxelError as error:
        return item_failed(item.name, item.entries, error.fault)
    except MemoryError:
        return item_failed(
            item.name, item.entries, Fault(ErrorCode.BUDGET, "there is not enough memory", file=item.name)
        )
    return replace(told, delivered=str(report.outcome))


def work_side_by_side(
    opening: Callable[..., Opener], given: tuple[Any, ...], items: Sequence[Item], wish: Wish, workers: int
) -> Iterator[ItemTold]:
    """Work on items in several processes, each of which calls `opening(*given)` once; what is done first comes first.

    A process that dies fails the items that were in its hands, and new ones go on with the rest.
    """
    waiting = list(items)
    while waiting:
        done = set[str]()
        pool = ProcessPoolExecutor(min(workers, len(waiting)), mp_context=_clean(opening))
        try:
            asked = {pool.submit(_in_process, opening, given, item, wish): item for item in waiting}
            for future in as_completed(asked):
                told = future.result()
                done.add(asked[future].folder)
                yield told
        except BrokenProcessPool:
            for future, item in asked.items():
                if item.folder not in done and future.done() and future.exception() is None:
                    done.add(item.folder)
                    yield future.result()
            # Nobody says who did it: the first that is not done is tried alone, and fails alone.
            suspect = next(item for item in waiting if item.folder not in done)
            done.add(suspect.folder)
            yield _alone(opening, given, suspect, wish)
        finally:
            pool.shutdown(cancel_futures=True)
        waiting = [item for item in waiting if item.folder not in done]


def _clean(opening: Callable[..., Opener]) -> ForkServerContext:
    """Processes that begin with our modules loaded, and with nothing else of this one."""
    context = get_context("forkserver")
    context.set_forkserver_preload([__name__, opening.__module__, "pruxel.core.native.begun"])
    return context


def _alone(opening: Callable[..., Opener], given: tuple[Any, ...], item: Item, wish: Wish) -> ItemTold:
    with ProcessPoolExecutor(1, mp_context=_clean(opening)) as pool:
        try:
            return pool.submit(_in_process, opening, given, item, wish).result()
        except BrokenProcessPool:
            words = "working on this brought its process down"
            return item_failed(item.name, item.entries, Fault(ErrorCode.MALFORMED, words, file=item.entries[0]))


def _in_process(opening: Callable[..., Opener], given: tuple[Any, ...], item: Item, wish: Wish) -> ItemTold:
    return work_on(_opened(opening, given), item, wish, Context())


@lru_cache(maxsize=1)
def _opened(opening: Callable[..., Opener], given: tuple[Any, ...]) -> Opener:
    return opening(*given)


def write_report(out: Path, items: Sequence[ItemTold], steps: Sequence[StepUse]) -> None:
    """Write what became of all items into the output folder; it appears whole or not at all."""
    found = {
        "batch": 1,
        "steps": [use.model_dump(mode="json", exclude_defaults=True) for use in steps],
        "items": [item.as_dict() for item in items],
    }
    write_below(out, REPORT, [json.dumps(found, indent=1, ensure_ascii=False).encode()])


def read_report(text: str, file: str) -> tuple[ItemTold, ...]:
    """The items of a report; raises `InputError` for what is none."""
    try:
        listed = list(json.loads(text)["items"])
    except (ValueError, KeyError, TypeError, RecursionError) as error:
        raise no_report(file) from error
    return tuple(item_of(one, file) for one in listed)
