"""X3D in XML → nodes."""

from __future__ import annotations

from pruxel.core.base.errors import ErrorCode, InputError
from pruxel.core.formats.x3d.things import Route, Thing, World
from pruxel.core.formats.xml import Tag, tree_of_xml

_PASSED = {"ProtoDeclare", "ExternProtoDeclare", "ProtoInstance", "Script", "IMPORT", "EXPORT"}
_SILENT = {"head", "field", "fieldValue", "IS", "component", "meta"}


def parse_markup(data: bytes, name: str) -> World:
    """The nodes of a document; raises `InputError`."""
    top = tree_of_xml(data, name)
    scene = top.first("Scene")
    if top.name != "X3D" or scene is None:
        raise InputError(
            ErrorCode.UNKNOWN_FORMAT, "this is XML, but not X3D with a scene", file=name, expected="<X3D> with <Scene>",
            found=f"<{top.name[:40]}>",
        )  # fmt: skip
    world = World()
    head = top.first("head")
    for unit in () if head is None else head.all("unit"):
        if unit.get("category") == "length":
            world.metres = Thing("unit", "", name, unit.line, dict(unit.attributes)).number("conversionFactor", 1.0)
    passed: dict[str, int] = {}
    for child in scene.children:
        _enter(world, child, name, world.top, passed)
    world.notes += [f"not taken over: {kind} ({count:,} times)" for kind, count in sorted(passed.items())]
    return world


def _enter(world: World, tag: Tag, file: str, into: list[Thing], passed: dict[str, int]) -> None:
    """Append the node of an element; routes and what has no place are noted."""
    if tag.name == "ROUTE":
        ends = (tag.get(key) for key in ("fromNode", "fromField", "toNode", "toField"))
        world.routes.append(Route(*ends))
    elif tag.name in _PASSED:
        passed[tag.name] = passed.get(tag.name, 0) + 1
    elif tag.name not in _SILENT:
        into.append(_thing(world, tag, file, passed))


def _thing(world: World, tag: Tag, file: str, passed: dict[str, int]) -> Thing:
    used = world.named.get(tag.get("USE"))
    if used is not None:
        return used
    made = Thing(tag.name, tag.get("DEF"), file, tag.line, dict(tag.attributes))
    for child in tag.children:
        inner: list[Thing] = []
        _enter(world, child, file, inner, passed)
        made.below += [(child.get("containerField"), one) for one in inner]
    if made.name:
        world.named[made.name] = made
    return made
