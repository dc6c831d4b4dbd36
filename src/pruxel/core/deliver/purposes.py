"""What deliveries are for: formats, options and plans to begin with, each to be changed and kept under a name."""

from __future__ import annotations

from typing import Annotated, Any

from pydantic import BaseModel, ConfigDict, Field, StringConstraints

from pruxel.core.base.registry import Registry
from pruxel.core.deliver.plan import Plan


class Purpose(BaseModel):
    """A starting point. `options` are those of each format, by its name."""

    model_config = ConfigDict(frozen=True, extra="forbid")

    name: str = Field(pattern=r"^[a-z][a-z0-9-]{0,39}$")
    title: str = Field(min_length=1, max_length=60)
    about: str = Field("", max_length=200)
    formats: tuple[Annotated[str, StringConstraints(max_length=40)], ...] = Field(min_length=1, max_length=40)
    options: dict[str, dict[str, Any]] = Field(default_factory=dict)
    plan: Plan = Field(default_factory=Plan)


PURPOSES: Registry[Purpose] = Registry("purpose")

for _one in (
    Purpose(
        name="edit",
        title="Edit further",
        about="Polygons, every clip and every level, textures beside the file, lossless",
        formats=("fbx", "glb"),
        plan=Plan(textures="png"),
    ),
    Purpose(
        name="render",
        title="Render",
        about="What is seen, at its finest, with all layers of materials in one file",
        formats=("glb",),
        plan=Plan(parts="seen", detail="finest"),
    ),
    Purpose(
        name="engine",
        title="Game engine",
        about="Model and each clip in files of their own, textures up to 2048 as TGA",
        formats=("fbx",),
        plan=Plan(clips="apart", textures="tga", largest_side=2048),
    ),
    Purpose(
        name="paint",
        title="Paint textures",
        about="The model at rest with its UVs, its textures as PNG",
        formats=("fbx", "obj"),
        plan=Plan(parts="seen", detail="finest", clips="none", textures="png"),
    ),
    Purpose(
        name="print",
        title="Print",
        about="Parts as they stand, millimetres, Z up, with colours in 3MF",
        formats=("3mf", "stl"),
        options={"stl": {"unit": "mm", "up": "z"}, "3mf": {}},
        plan=Plan(parts="seen", detail="finest", clips="none", textures="in vertices"),
    ),
    Purpose(
        name="archive",
        title="Archive",
        about="Everything a scene holds, in an open format of text with its files",
        formats=("gltf",),
    ),
):
    PURPOSES.add(_one.name, _one)
