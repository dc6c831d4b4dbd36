"""What the byte view asks of an entry: its look from afar, values, finds, and what a layout in the making reads of it.

Runs aside, not where requests are answered.
"""

from __future__ import annotations

from dataclasses import dataclass, replace
from importlib.resources import files
from itertools import islice
from typing import Any

import numpy as np

from pruxel.core.base.context import Context
from pruxel.core.base.errors import Fault, InputError
from pruxel.core.binary.explain import explained
from pruxel.core.binary.finding import differing, find_bytes, find_range, pattern_of, read_as_all
from pruxel.core.binary.load import load_layout
from pruxel.core.binary.schema import Layout, Match
from pruxel.core.binary.yaml_text import write_yaml
from pruxel.core.disk.below import HEAD_BYTES
from pruxel.core.guessing.regions import strip_of
from pruxel.core.images.decode import media_type
from pruxel.core.knowledge.kinds import layouts_for
from pruxel.core.pictures.bones import visible
from pruxel.core.pictures.sheet import texture_sheet
from pruxel.core.recipe.inputs import Opener, beside
from pruxel.core.recipe.layout_check import check_layout, what_it_yields
from pruxel.core.scene.images import EncodedImage, Image
from pruxel.core.scene.model import Scene
from pruxel.core.sources.pack_table import read_table
from pruxel.server.jobs.looking import MOST_ROWS, table_shown
from pruxel.server.jobs.stacks import StoredStack, split_source, stored_entry
from pruxel.server.store.missing import not_found
from pruxel.server.store.scenes import shown_scene

Values = dict[str, Any]
_DEPTH = 5
_MOST_FINDS, _MOST_RANGES = 400, 4000


def strip_shown(entry: int, pieces: int) -> Values:
    """An entry's bytes from afar, piece by piece."""
    row, stack = stored_entry(entry)
    data = stack.read_row(row, Context())
    rows = strip_of(np.frombuffer(data, np.uint8), pieces)
    return {
        "path": row.path,
        "kind": row.kind,
        "size": len(data),
        "entropy": np.round(rows[:, 0], 2).tolist(),
        "least": rows[:, 1].astype(int).tolist(),
        "most": rows[:, 2].astype(int).tolist(),
        "zeros": np.round(rows[:, 3], 3).tolist(),
    }


def layout_of(entry: int) -> str:
    """The text of the layout by which an entry is read; empty when there is none."""
    row, stack = stored_entry(entry)
    data = stack.read_row(row, Context())
    found = layouts_for(bytes(data[:HEAD_BYTES]), len(data), row.path, stack.profile.layouts)
    if not found:
        return ""
    return write_yaml(found[0].model_dump(mode="json", by_alias=True, exclude_defaults=True))


def examples() -> list[Values]:
    """The layouts of the made-up game, with their comments, to begin from."""
    folder = files("pruxel.sample") / "data" / "layouts"
    found = []
    for one in sorted(folder.iterdir(), key=lambda one: one.name):
        text = one.read_text("utf-8")
        layout = load_layout(text, one.name)
        found.append({"name": layout.layout, "title": layout.title or layout.layout, "text": text})
    return found


def values_shown(entry: int, offset: int) -> list[Values]:
    """The bytes at a place read as every type, in both orders."""
    row, stack = stored_entry(entry)
    found = read_as_all(stack.read_row(row, Context()), offset)
    return [{"type": name, "little": little, "big": big} for name, little, big in found]


@dataclass(frozen=True)
class Search:
    """What is looked for from byte `first` on: `what`, or numbers from `low` to `high` where `what` is empty."""

    what: str
    kind: str
    order: str
    low: float
    high: float
    first: int


def finds_shown(entry: int, wanted: Search) -> Values:
    """Where something stands in an entry. Raises `InputError`."""
    row, stack = stored_entry(entry)
    data = stack.read_row(row, Context())
    if wanted.what:
        pattern = pattern_of(wanted.what, wanted.kind, wanted.order)
        found, size = find_bytes(data, pattern, wanted.first, _MOST_FINDS, Context()), len(pattern)
    else:
        found = find_range(
            data, wanted.kind, wanted.order, wanted.low, wanted.high, wanted.first, _MOST_FINDS, Context()
        )
        size = len(pattern_of("0", wanted.kind, wanted.order))
    return {"offsets": found, "size": size, "more": len(found) >= _MOST_FINDS}


def compared(entry: int, path: str) -> Values:
    """The ranges in which an entry differs from another. Raises `InputError`."""
    row, stack = stored_entry(entry)
    other = stack.row(path)
    if other is None:
        raise not_found("entry")
    one, two = stack.read_row(row, Context()), stack.read_row(other, Context())
    found = differing(one, two, _MOST_RANGES)
    ranges = [{"first": first, "end": end} for first, end in found]
    return {"other": other.id, "ranges": ranges, "size": len(two), "more": len(found) >= _MOST_RANGES}


def described(entry: int, text: str) -> Values:
    """What a layout in the making reads of an entry: its mistakes, the fields with their bytes, and what it yields."""
    row, stack = stored_entry(entry)
    layout, faults = check_layout(text, "the layout", {one.layout: one for one in stack.profile.layouts})
    found: Values = {
        "faults": [one.as_dict() for one in faults],
        "fields": [],
        "yields": [],
        "scene": None,
        "table": None,
    }
    if layout is None or faults:
        return found
    path, data = stack.pinned(row), stack.read_row(row, Context())
    plain = split_source(path)[1]
    found["constants"] = layout.constants
    found["claims"] = bool(layouts_for(bytes(data[:HEAD_BYTES]), len(data), plain, [layout]))
    others = beside(stack, plain, Context())
    fields, fault = explained(layout, data, plain, _DEPTH, others)
    found["fields"] = [_field(one) for one in fields]
    try:
        if fault is None:
            found["yields"] = what_it_yields(layout, data, plain, others)
            own = _reading_by(layout, stack, path, data)
            scene = _scene(layout, own, path)
            found["scene"] = None if scene is None else shown_scene(visible(scene))
            found["table"] = _table(layout, own, path, data)
    except InputError as error:
        fault = error.fault
    found["problem"] = None if fault is None else _near(fault, data)
    return found


def _field(one: Values) -> Values:
    first, end = one["bytes"]
    return {
        "name": one["name"],
        "first": first,
        "end": end,
        "value": one["value"],
        "fields": [_field(below) for below in one.get("fields", [])],
    }


def _near(fault: Fault, data: memoryview) -> Values:
    """A fault with the bytes around it."""
    said = fault.as_dict()
    if fault.offset is not None:
        first = max(0, min(fault.offset, len(data)) - 8)
        said["around"] = {"offset": first, "hex": bytes(data[first : first + 24]).hex()}
    return said


def _reading_by(layout: Layout, stack: StoredStack, path: str, data: memoryview) -> StoredStack:
    """The stack that reads an entry by this layout, whichever other layouts claim it."""
    head, plain = bytes(data[:HEAD_BYTES]), split_source(path)[1]
    own = layout.model_copy(update={"match": Match(paths=(plain,))})
    profile = stack.profile
    others = tuple(one for one in profile.layouts if one not in layouts_for(head, len(data), plain, profile.layouts))
    knowledge = replace(stack.knowledge, profile=replace(profile, layouts=(own, *others)))
    return replace(stack, knowledge=knowledge)


def _table(layout: Layout, stack: StoredStack, path: str, data: memoryview) -> Values | None:
    """The first rows of the table that a layout yields: its own, or the entries of a pack."""
    if "tables" in layout.yields:
        return table_shown(Opener(stack).rows(path, Context()))
    if "entries" not in layout.yields:
        return None
    known = stack.knowledge
    table = read_table(layout, data, path, Context(), known.keys, any_version=known.any_version)
    names = table.names or [f"{value:016x}" for value in ([] if table.hashes is None else table.hashes.tolist())]
    lines = zip(names, table.offsets.tolist(), table.stored.tolist(), table.sizes.tolist(), strict=True)
    return {
        "columns": ["path" if table.names is not None else "hash", "offset", "stored", "size"],
        "rows": [[str(cell) for cell in row] for row in islice(lines, MOST_ROWS)],
        "total": len(table),
    }


def _scene(layout: Layout, stack: StoredStack, path: str) -> Scene | None:
    """What the layout yields as a scene; None where there is none to see."""
    plain, opened = split_source(path)[1], Opener(stack)
    yields = layout.yields.keys()
    if yields & {"meshes", "skeletons", "placements"}:
        return opened.scene([path], Context())
    if "textures" in yields:
        picture = opened.picture(path, Context())
        name = plain.rsplit("/", 1)[-1]
        return texture_sheet(Image(name, EncodedImage(bytes(picture), media_type(picture, plain))), plain)
    if "clips" in yields:
        return opened.played(opened.clips(path, Context()), path, Context())[0]
    return None
