"""FBX before three.js's loader.

It looks at four joints a vertex, one set of colours, the loader's own kind of material, and takes shapes for unused at
rest; what it cannot see is not claimed to be proven.
"""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import replace

import numpy as np

from pruxel.core.deliver.judges.registry import Exhibit, judge
from pruxel.core.deliver.proof.checks import Check, Tolerances
from pruxel.core.deliver.proof.expected_tree import compare_tree
from pruxel.core.deliver.proof.judge import ReadBack, read_back
from pruxel.core.deliver.proof.links import Picture, compare_links, compare_pictures
from pruxel.core.deliver.proof.surfaces import compare_names
from pruxel.core.formats.fbx.options import FbxOptions
from pruxel.core.formats.fbx.write import as_written
from pruxel.core.formats.fbx.write_materials import slots_of
from pruxel.core.scene.model import Scene
from pruxel.core.scene.render_images import texels
from pruxel.core.scene.walk import in_order, parts

_MAPS = {
    "DiffuseColor": "map",
    "NormalMap": "normalMap",
    "EmissiveColor": "emissiveMap",
    "TransparencyFactor": "alphaMap",
}


@judge("fbx in three.js", "three.js")
def read_by_three(one: Exhibit) -> list[Check]:
    """Everything that the loader makes of the file, and the files that it names."""
    assert isinstance(one.options, FbxOptions)
    options, t = one.options, one.tolerances
    scene = _at_rest(as_written(one.scene, options))
    read = read_back(one.main, "fbx")
    unit = 100 / options.per_metre
    checks = [Check("unit of length", f"{unit:g} cm", f"{read.unit:g} cm", abs(read.unit - unit) < 1e-6 * unit)]
    checks.append(Check("axis that points up", options.up, read.up, read.up == options.up))
    checks += compare_tree(scene, read, t)
    if scene.cameras or scene.lights:
        checks.append(_views(scene, read, t))
    if scene.materials:
        checks += _materials(scene, read, t, linked=options.textures)
    if options.textures == "linked" and scene.images:
        pictures = list(_pictures(scene, read))
        checks += [compare_links((p.link for p in pictures), one.main), compare_pictures(pictures, one.main)]
    return checks


def _views(scene: Scene, read: ReadBack, t: Tolerances) -> Check:
    """On which nodes cameras and lights hang, of which kind, how wide they look and how brightly they shine."""
    wanted: dict[str, tuple[str, list[float]]] = {}
    for index in in_order(scene):
        node = scene.nodes[index]
        if node.camera is not None:
            fov = scene.cameras[node.camera].yfov_rad
            if fov is not None:  # the reader makes nothing of others
                wanted[node.name] = "perspective", [float(np.degrees(fov))]
        elif node.light is not None:
            light = scene.lights[node.light]
            wanted[node.name] = (light.kind, [light.intensity, *light.color])
    found = {node["name"]: node["view"] for node in read.nodes if node.get("view")}
    wrong = ""
    for name, (kind, values) in wanted.items():
        there = found.get(name)
        if there is None or there["kind"] != kind:
            wrong = wrong or f"'{name}' is {'nothing' if there is None else there['kind']}, not {kind}"
        elif not np.allclose(there["values"], values, rtol=t.factor, atol=t.factor):
            wrong = wrong or f"'{name}' has {there['values']}, not {values}"
    strange = sorted(found.keys() - wanted.keys())
    words = wrong or (f"'{strange[0]}' too" if strange else "the same on the same nodes")
    return Check("cameras and lights", f"{len(wanted):,}", words, not wrong and not strange)


def _pictures(scene: Scene, read: ReadBack) -> Iterator[Picture]:
    """Every place that the reader knows, with the file that it names and what that should show."""
    found = {material["name"]: material["textures"] for material in read.materials}
    for material in scene.materials:
        for slot, ref in slots_of(material):
            link = found.get(material.name, {}).get(_MAPS.get(slot.property, ""))
            if link is not None:
                whole = texels(scene.images[scene.textures[ref.texture].image])
                shown = whole if slot.channel is None else whole[..., slot.channel : slot.channel + 1]
                yield Picture(f"{slot.word or slot.property} of '{material.name}'", link.rsplit("/", 1)[0], shown)


def _at_rest(scene: Scene) -> Scene:
    nodes = tuple(replace(node, weights=None) for node in scene.nodes)
    return replace(scene, nodes=nodes, meshes=tuple(replace(mesh, target_weights=()) for mesh in scene.meshes))


def _materials(scene: Scene, read: ReadBack, t: Tolerances, *, linked: str) -> list[Check]:
    """Names of what is used, colours, and which places have a texture."""
    used = sorted({p.material for _, _, mesh in parts(scene) for p in mesh.primitives if p.material is not None})
    listed = [scene.materials[number] for number in used]
    found = {m["name"]: m for m in read.materials}
    if sorted({m.name for m in listed}) != sorted(found):
        return [compare_names("materials", sorted({m.name for m in listed}), sorted(found))]
    wrong = ""
    for material in listed:
        own = found[material.name]
        wanted = {"base colour": material.base_color, "emissive": material.emissive}
        for key, value in wanted.items():
            if not np.allclose(own["values"][key], value, rtol=t.factor, atol=2 * t.factor):
                wrong = wrong or f"{key} of '{material.name}' is {own['values'][key]}"
        slots = {_MAPS[slot.property] for slot, _ in slots_of(material) if slot.property in _MAPS}
        if linked != "none" and slots != set(own["textures"]):
            wrong = wrong or f"'{material.name}' has textures in other places: {', '.join(own['textures']) or 'none'}"
    return [Check("materials", f"{len(listed):,}", wrong or "the same names, colours and places", not wrong)]
