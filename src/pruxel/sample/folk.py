"""The people of the reef: which parts each is made of, and what is made for one build fitted to the other."""

from __future__ import annotations

from dataclasses import replace

import numpy as np

from pruxel.sample.bake import Ready
from pruxel.sample.blocks import dds
from pruxel.sample.model import Model
from pruxel.sample.models.wear import BUILDS, folk_rig
from pruxel.sample.portraits import Piece, portrait

_DRAWN_FOR = "folk/slim/"
# Code; name; German name; then the build, and what stands in each slot.
FOLK = (
    ("3001", "Ida Marsh", "Ida Marsch", "slim", "post", "freckled", "bun", "gloves", ""),
    ("3002", "Tom Keel", "Tom Kiel", "broad", "dock", "bearded", "crop", "hands", "wrench"),
    ("3003", "Wren Hollow", "Wren Mulde", "slim", "stall", "fair", "braid", "hands", ""),
    ("3004", "Gus Tarn", "Gus Maar", "broad", "oilskin", "bearded", "crop", "gloves", "lantern"),
    ("3005", "Nell Cove", "Nell Bucht", "slim", "oilskin", "freckled", "waves", "hands", "lantern"),
    ("3006", "Pip Sandry", "Pip Sand", "broad", "post", "fair", "crop", "hands", ""),
)


def folk_table(language: str) -> str:
    """Who they are, as the game's table tells it."""
    lines = ["code;name;build;suit;head;hair;gloves;tool"]
    for code, english, german, *parts in FOLK:
        lines.append(";".join([code, german if language == "de" else english, *parts]))
    return "\n".join(lines) + "\n"


def portrait_of(person: tuple[str, ...], pieces: dict[str, Piece]) -> dict[str, bytes]:
    """The small picture of somebody, by its path; `pieces` by the name of their surface."""
    code, suit, head, hair = person[0], *person[4:7]
    worn = [pieces[name] for name in (f"suit_{suit}", f"head_{head}", f"hair_{hair}")]
    return {f"ui/portraits/folk_{code}.dds": dds(portrait(worn, 1.18), "BC1")}


def in_builds(model: Model, ready: list[Ready]) -> list[tuple[Model, list[Ready]]]:
    """A model as it is; what is drawn for one build of people, for each build on its own skeleton."""
    if not model.path.startswith(_DRAWN_FOR):
        return [(model, ready)]
    return [_fitted(model, ready, build) for build in BUILDS]


def _fitted(model: Model, ready: list[Ready], build: str) -> tuple[Model, list[Ready]]:
    tall, wide = BUILDS[build]
    stretch = np.array((wide, tall, wide))
    fitted = []
    for item in ready:
        normals = item.normals / stretch
        normals /= np.maximum(np.linalg.norm(normals, axis=1, keepdims=True), 1e-9)
        fitted.append(replace(item, positions=item.positions * stretch, normals=normals))
    path = model.path.replace(_DRAWN_FOR, f"folk/{build}/")
    return replace(model, path=path, rig=folk_rig(build)), fitted
