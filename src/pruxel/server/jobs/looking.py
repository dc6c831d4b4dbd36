"""What there is to see of an entry at once, by its kind. Runs aside, not where requests are answered."""

from __future__ import annotations

import codecs
from functools import lru_cache
from typing import Any

import numpy as np
from sqlalchemy import select

from pruxel.core.base.arrays import AnyArray
from pruxel.core.base.context import Context
from pruxel.core.base.errors import InputError
from pruxel.core.base.limits import Limits
from pruxel.core.extract.level import Level
from pruxel.core.images import dds, png
from pruxel.core.images.decode import decode_image
from pruxel.core.native.sounds import read_wave
from pruxel.core.recipe.differences import describe_difference
from pruxel.core.recipe.inputs import Opener
from pruxel.server.jobs.stacks import StoredStack, at_source, stored_entry
from pruxel.server.store.database import session
from pruxel.server.store.tables import EntryRow

MOST_ROWS = 400
_MOST_TEXT = 1 << 16
_MOST_POINTS = 20_000
_DEEPEST = 6
_WAVE_PIECES = 320
_MARKS = ((b"\xef\xbb\xbf", "utf-8"), (b"\xff\xfe", "utf-16-le"), (b"\xfe\xff", "utf-16-be"))
_VISIBLE = {code: 0x2400 + code for code in range(32) if code not in (9, 10, 13)} | {127: 0x2421}
Values = dict[str, Any]


def look_at(entry: int) -> Values:
    """What can be shown of an entry without building a scene; `problem` says why it cannot be read."""
    row, stack = stored_entry(entry)
    try:
        return {"kind": row.kind} | _look(row, stack)
    except InputError as error:
        return {"kind": row.kind, "problem": error.fault.as_dict()}


def _look(row: EntryRow, stack: StoredStack) -> Values:
    context, path = Context(), stack.pinned(row)
    match row.kind:
        case "texture":
            return {"texture": _texture(row, stack)}
        case "material":
            return {"material": _material(path, stack)}
        case "level":
            return {"level": _level(Opener(stack).level(path, context))}
        case "table":
            return {"table": table_shown(Opener(stack).rows(path, context))}
        case "sound":
            return {"sound": _sound(row, stack)}
        case "text":
            return {"text": as_text(bytes(stack.read_row(row, context)[:_MOST_TEXT]))}
    return {}


def table_shown(rows: list[dict[str, str]]) -> Values:
    """The first rows of a table under the columns of its first one."""
    columns = list(rows[0]) if rows else []
    shown = [[line.get(c, "") for c in columns] for line in rows[:MOST_ROWS]]
    return {"columns": columns, "rows": shown, "total": len(rows)}


def text_of(entry: int) -> str:
    """The beginning of any entry's bytes, read as text."""
    row, stack = stored_entry(entry)
    return as_text(bytes(stack.read_row(row, Context())[:_MOST_TEXT]))


def as_text(data: bytes) -> str:
    """Bytes as text: by their byte order mark, as UTF-8, else one character a byte; control characters made visible."""
    for mark, encoding in _MARKS:
        if data.startswith(mark):
            return data[len(mark) :].decode(encoding, "replace")
    try:
        # A character cut at the end is no reason to read the rest otherwise: this decoder waits for its rest.
        text = codecs.getincrementaldecoder("utf-8")().decode(data)
    except UnicodeDecodeError:
        text = data.decode("latin-1")
    return text.translate(_VISIBLE)


def _sound(row: EntryRow, stack: StoredStack) -> Values:
    wave = read_wave(stack.read_row(row, Context()), row.path, _WAVE_PIECES)
    return {
        "seconds": round(wave.seconds, 3),
        "channels": wave.channels,
        "rate": wave.rate,
        "format": wave.format,
        "peaks": np.round(wave.peaks, 3).tolist(),
        "whole": wave.whole,
    }


def _level(level: Level) -> Values:
    where = level.placements
    step = max(1, len(where.model) // _MOST_POINTS)
    points = [
        (int(m), round(float(p[0]), 2), round(float(p[2]), 2))
        for m, p in zip(where.model[::step].tolist(), where.positions[::step], strict=True)
    ]
    return {"models": list(level.models), "counts": level.counts(), "points": points}


@lru_cache(maxsize=12)
def _decoded(entry: int, stamp: int, revision: int) -> tuple[AnyArray, str, int, bool]:
    """The texels of a texture, kept while it is looked at."""
    del stamp, revision
    row, stack = stored_entry(entry)
    pixels = decode_image(Opener(stack).picture(stack.pinned(row), Context()), row.path)
    info = pixels.info
    return pixels.rgba, info.encoding, info.mips, info.has_alpha


def _texture(row: EntryRow, stack: StoredStack) -> Values:
    rgba, encoding, mips, has_alpha = _decoded(row.id, row.stamp, stack.state.revision)
    height, width = rgba.shape[:2]
    return {
        "width": width,
        "height": height,
        "encoding": encoding,
        "mips": mips,
        "has_alpha": has_alpha,
        "role": stack.profile.role_of(row.path),
        "channels": [
            {"name": name, "least": int(c.min()), "most": int(c.max()), "mean": round(float(c.mean()), 1)}
            for name, c in zip("RGBA", np.moveaxis(rgba, 2, 0), strict=True)
        ],
    }


def texture_png(entry: int, channel: str, level: int) -> bytes:
    """A texture as PNG: `rgba`, `rgb`, or one channel as grey; `level` halves it so often. Raises `InputError`."""
    row, stack = stored_entry(entry)
    rgba, _, mips, _ = _decoded(row.id, row.stamp, stack.state.revision)
    data = stack.read_row(row, Context()) if level else memoryview(b"")
    if level and bytes(data[:4]) == dds.MAGIC and level < mips:
        rgba = dds.decode(data, row.path, Limits(), level).rgba
    else:
        for _ in range(level):
            rgba = _halved(rgba)
    if channel == "rgb":
        rgba = rgba[..., :3]
    elif channel != "rgba":
        rgba = np.repeat(rgba[..., "rgba".index(channel), None], 3, axis=2)
    return png.encode(np.ascontiguousarray(rgba))


def _halved(rgba: AnyArray) -> AnyArray:
    h, w = max(rgba.shape[0] // 2, 1), max(rgba.shape[1] // 2, 1)
    if min(rgba.shape[:2]) <= 1:
        return rgba[:h, :w]
    mean = rgba[: h * 2, : w * 2].reshape(h, 2, w, 2, 4).mean(axis=(1, 3))
    return mean.round().astype(np.uint8)


def _material(path: str, stack: StoredStack) -> Values:
    opened = Opener(stack)
    found = opened.material(path, Context()).material
    cut = f", cut at {found.alpha_cutoff:g}" if found.alpha_mode == "MASK" else ""
    return {
        "name": found.name,
        "values": [
            ("base colour", " ".join(f"{c:.2f}" for c in found.base_color)),
            ("metallic", f"{found.metallic:g}"),
            ("roughness", f"{found.roughness:g}"),
            ("emission", " ".join(f"{c:.2f}" for c in found.emissive)),
            ("alpha", found.alpha_mode.lower() + cut),
            ("both sides", "yes" if found.double_sided else "no"),
        ],
        "slots": _resolved(opened, path),
        "missing": [u.name for u in found.unresolved],
    }


def _resolved(opened: Opener, path: str) -> list[Values]:
    """What an entry mentions, and where that leads."""
    found = []
    for name in opened.mentions(path, Context()):
        resolved = opened.stack.resolve(name, path)
        found.append({"name": name, "path": resolved.path, "near": list(resolved.near)})
    return found


def uses_of(entry: int) -> list[Values]:
    """What an entry mentions; nothing when it cannot be read as what it is."""
    row, stack = stored_entry(entry)
    try:
        return _resolved(Opener(stack), stack.pinned(row))
    except InputError:
        return []


def needs_of(entry: int) -> Values:
    """An entry with everything it mentions, and what that mentions; names that lead nowhere apart."""
    row, stack = stored_entry(entry)
    opened = Opener(stack)
    paths, missing, size = [row.path], list[str](), row.size
    ahead = [(row.path, 0)]
    while ahead:
        path, depth = ahead.pop(0)
        try:
            names = opened.mentions(path, Context()) if depth < _DEEPEST else []
        except InputError:
            continue
        for name in names:
            found = stack.resolve(name, path)
            if found.path is None:
                missing.append(name)
            elif found.path not in paths:
                paths.append(found.path)
                other = stack.row(found.path)
                size += 0 if other is None else other.size
                ahead.append((found.path, depth + 1))
    return {"paths": paths, "size": size, "missing": sorted(set(missing))}


def versions_of(entry: int) -> list[Values]:
    """All sources' versions of an entry's path, highest first, and how each differs from the one that counts."""
    row, stack = stored_entry(entry)
    state = stack.state
    with session() as db:
        wanted = (EntryRow.slot.in_(state.every), EntryRow.path == row.path)
        rows = list(db.execute(select(EntryRow).where(*wanted)).scalars())
    order = {str(s.id): n for n, s in enumerate(state.sources)}
    rows.sort(key=lambda r: -order[str(state.by_slot[r.slot].source)])
    best = next((r for r in rows if r.slot in state.winning), rows[0])
    opened = Opener(stack)
    found = []
    for one in rows:
        source = state.by_slot[one.slot].source
        try:
            differs = [] if one.id == best.id else describe_difference(
                opened, at_source(source, one.path), at_source(state.by_slot[best.slot].source, best.path), Context()
            )  # fmt: skip
        except InputError as error:
            differs = [error.fault.line()]
        found.append(
            {
                "id": one.id,
                "source": state.label_of(one.slot),
                "source_id": source,
                "size": one.size,
                "kind": one.kind,
                "wins": one.slot in state.winning,
                "counts": str(source) in state.rank,
                "differs": differs,
            }
        )
    return found


def stretch_of(entry: int, offset: int, size: int) -> Values:
    """A stretch of an entry's bytes as hex. Raises `InputError`."""
    row, stack = stored_entry(entry)
    data = stack.read_row(row, Context())
    return {"offset": offset, "size": len(data), "hex": bytes(data[offset : offset + size]).hex()}
