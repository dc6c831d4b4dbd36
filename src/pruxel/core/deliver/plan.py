"""What of a scene goes into which files: parts, levels of detail, clips, textures, and how the files are called."""

from __future__ import annotations

import string
from collections.abc import Callable, Iterator, Mapping, Sequence
from dataclasses import dataclass, replace
from typing import Annotated, Any, Literal

from pydantic import BaseModel, ConfigDict, Field, StringConstraints, ValidationError, field_validator

from pruxel.core.base.errors import ErrorCode, UsageError
from pruxel.core.disk.names import safe_part, unique_name
from pruxel.core.formats.registry import Format
from pruxel.core.formats.textures import link_name
from pruxel.core.scene.edit import drop_unused, keep_nodes, merge
from pruxel.core.scene.model import Node, Scene
from pruxel.core.scene.reframe import Front, facing
from pruxel.core.scene.uvs import with_v_up
from pruxel.core.scene.walk import parts

PLACEHOLDERS = ("name", "piece", "clip", "number")
_MOST_FILES = 1000
_MOST_NAMED, _LONGEST_NAME = 10_000, 400
Name = Annotated[str, StringConstraints(max_length=_LONGEST_NAME)]


class Plan(BaseModel):
    """What is written; each field says what it means and has a value to begin with."""

    model_config = ConfigDict(frozen=True, extra="forbid")

    files: Literal["one", "per part", "per material", "per workpiece"] = Field(
        "one", title="Files", description="All in one, or apart by part, by material or by workpiece"
    )
    names: str = Field(
        "{name}",
        max_length=120,
        title="Names",
        description="{name} of the delivery, {piece} of what is apart, {clip}, {number}",
    )
    parts: Literal["all", "seen"] = Field(
        "all", title="Parts", description="All, or only those meant to be seen: no collision shapes, no helpers"
    )
    left_out: tuple[Name, ...] = Field(
        (),
        max_length=_MOST_NAMED,
        title="Without these parts",
        description="By name",
        json_schema_extra={"items": {"type": "string", "refers_to": "part", "maxLength": _LONGEST_NAME}},
    )
    detail: Literal["all", "finest"] = Field(
        "all", title="Levels of detail", description="All of them, or the finest alone"
    )
    clips: Literal["all", "apart", "none"] = Field(
        "all", title="Clips", description="All in one file, each in a file of its own, or left out"
    )
    only_clips: tuple[Name, ...] = Field(
        (),
        max_length=_MOST_NAMED,
        title="Only these clips",
        description="None chosen: all",
        json_schema_extra={"items": {"type": "string", "refers_to": "clip", "maxLength": _LONGEST_NAME}},
    )
    textures: Literal["as they are", "png", "jpeg", "tga", "webp", "dds", "dds-bc7", "in vertices", "none"] = Field(
        "as they are",
        title="Textures",
        description="What a format cannot link is written as PNG; in vertices: their colours at each",
    )
    largest_side: int | None = Field(
        None,
        ge=1,
        le=16_384,
        title="Largest side",
        description="Larger textures are made smaller",
        json_schema_extra={"unit": "px"},
    )

    front: Front = Field(
        "+z", title="Front", description="The axis that the model's front looks along, Y up; turned about the axis up"
    )
    flip_v: bool = Field(
        default=False, title="Flip V", description="Texture coordinates from below, for programs that show them so"
    )

    @field_validator("names")
    @classmethod
    def _known_placeholders(cls, pattern: str) -> str:
        try:
            used = [(key, form, how) for _, key, form, how in string.Formatter().parse(pattern) if key is not None]
        except ValueError as error:
            raise ValueError(f"this is no pattern of names: {error}") from None
        strange = [key for key, form, how in used if key not in PLACEHOLDERS or form or how]
        if strange:
            known = ", ".join(f"{{{name}}}" for name in PLACEHOLDERS)
            raise ValueError(f"{{{strange[0]}}} stands for nothing; {known} do")
        if not pattern.format(**dict.fromkeys(PLACEHOLDERS, "x")).strip():
            raise ValueError("a name needs a letter")
        return pattern


def plan_of(values: Mapping[str, Any]) -> Plan:
    """A plan from what somebody wrote; raises `UsageError` that names each field that is wrong."""
    try:
        return Plan.model_validate(dict(values))
    except ValidationError as error:
        raise UsageError(
            ErrorCode.USAGE,
            "what is to be written is not said rightly",
            field=", ".join(".".join(map(str, one["loc"])) for one in error.errors()),
            expected="; ".join(one["msg"].removeprefix("Value error, ") for one in error.errors()),
            found=", ".join(f"{key}={value}" for key, value in values.items()),
            hint="Options: " + ", ".join(Plan.model_fields),
        ) from None


@dataclass(frozen=True, eq=False)
class Cut:
    """What goes into one file: its name without ending, the scene, and which clip it holds where each has a file.

    `piece` numbers what is apart by part, material or workpiece.
    """

    stem: str
    scene: Scene
    clip: str | None = None
    piece: int = 0


def together(scenes: Sequence[Scene], name: str, plan: Plan) -> list[Scene]:
    """Several workpieces as one scene, unless each goes into files of its own."""
    return list(scenes) if plan.files == "per workpiece" or len(scenes) == 1 else [merge(name, scenes)]


def cuts_of(scenes: Sequence[Scene], name: str, plan: Plan) -> list[Cut]:
    """All files of a delivery, in any format; raises `UsageError` when nothing is left or there are too many."""
    chosen = [_chosen(scene, plan) for scene in scenes]
    pieces = [piece for scene in chosen for piece in _PIECES[plan.files](scene)]
    apart = plan.clips == "apart" and any(scene.clips for scene in chosen)
    found = [(k, clip, one) for k, (_, whole) in enumerate(pieces) for clip, one in _by_clip(whole, apart=apart)]
    if not found:
        raise UsageError(
            ErrorCode.USAGE, "nothing is left to write", field=name, expected="at least one part",
            found=f"files={plan.files}, parts={plan.parts}", hint="Choose other parts.",
        )  # fmt: skip
    if len(found) > _MOST_FILES:
        raise UsageError(
            ErrorCode.BUDGET, "this would be too many files", field=name, expected=f"at most {_MOST_FILES:,}",
            found=f"{len(found):,}",
        )  # fmt: skip
    taken: set[str] = set()
    cuts = []
    for number, (piece, clip, one) in enumerate(found, 1):
        digits = f"{number:0{len(str(len(found)))}}"
        stem = stem_of(plan, name, pieces[piece][0], clip, digits, several=len(pieces) > 1, clips=apart)
        cuts.append(Cut(unique_name(stem, taken), one, clip, piece))
    return cuts


def stem_of(
    plan: Plan, name: str, piece: str, clip: str | None, number: str = "1", *, several: bool, clips: bool
) -> str:
    """How a file is called, without its ending; the pattern gets what it lacks to tell files apart."""
    pattern = plan.names
    if several and "{piece}" not in pattern and "{number}" not in pattern:
        # Workpieces have names of their own.
        pattern = "{piece}" if plan.files == "per workpiece" and pattern == "{name}" else pattern + "_{piece}"
    if clips and "{clip}" not in pattern and "{number}" not in pattern:
        pattern += "_{clip}"
    return link_name(safe_part(pattern.format(name=name, piece=piece, clip=clip or "still", number=number)))


def cuts_for(cuts: list[Cut], spec: Format) -> list[Cut]:
    """Those that a format has a file for: one that carries no clips needs no file for each."""
    if "clips" in spec.carries or all(cut.clip is None for cut in cuts):
        return cuts
    return [cut for cut in cuts if cut.clip is None]


def _chosen(scene: Scene, plan: Plan) -> Scene:
    """The scene without the parts, levels of detail and clips that stay out."""
    shown = [(number, node) for number, node, _ in parts(scene)]
    finest = min((node.detail for _, node in shown), default=0)

    def stays_out(node: Node) -> bool:
        return (
            node.name in plan.left_out
            or (plan.parts == "seen" and node.role != "visual")
            or (plan.detail == "finest" and node.detail > finest)
        )

    gone = {number for number, node in shown if stays_out(node)}
    if gone:
        nodes = tuple(replace(n, mesh=None, skin=None) if k in gone else n for k, n in enumerate(scene.nodes))
        scene = drop_unused(replace(scene, nodes=nodes))
    wanted = scene.clips
    if plan.clips == "none":
        wanted = ()
    elif plan.only_clips:
        wanted = tuple(clip for clip in scene.clips if clip.name in plan.only_clips)
    scene = facing(replace(scene, clips=wanted), plan.front)
    return with_v_up(scene) if plan.flip_v else scene


def _whole(scene: Scene) -> Iterator[tuple[str, Scene]]:
    yield scene.name, scene


def _by_part(scene: Scene) -> Iterator[tuple[str, Scene]]:
    for number, node, _ in parts(scene):
        yield node.name, keep_nodes(scene, [number])


def _by_material(scene: Scene) -> Iterator[tuple[str, Scene]]:
    used = sorted({-1 if p.material is None else p.material for _, _, m in parts(scene) for p in m.primitives})
    for number in used:
        meshes = tuple(
            replace(
                mesh,
                primitives=tuple(p for p in mesh.primitives if (-1 if p.material is None else p.material) == number),
                strokes=(),
            )
            for mesh in scene.meshes
        )
        nodes = tuple(
            replace(n, mesh=None, skin=None) if n.mesh is not None and not meshes[n.mesh].primitives else n
            for n in scene.nodes
        )
        title = scene.materials[number].name if number >= 0 else "plain"
        kept = replace(scene, meshes=meshes, nodes=nodes)
        holding = [index for index, node in enumerate(nodes) if node.mesh is not None]
        yield title, keep_nodes(kept, holding)


_PIECES: dict[str, Callable[[Scene], Iterator[tuple[str, Scene]]]] = {
    "one": _whole,
    "per part": _by_part,
    "per material": _by_material,
    "per workpiece": _whole,
}


def _by_clip(scene: Scene, *, apart: bool) -> Iterator[tuple[str | None, Scene]]:
    """The scene; or, each clip apart, the scene at rest and then with each."""
    if not apart:
        yield None, scene
        return
    yield None, replace(scene, clips=())
    for clip in scene.clips:
        yield clip.name, replace(scene, clips=(clip,))
