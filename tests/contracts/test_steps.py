"""Every registered step: leaves its input alone, gives the same twice, keeps the invariants, survives JSON."""

import json
import tempfile
from collections.abc import Callable
from dataclasses import replace
from pathlib import Path
from typing import Any

import numpy as np
import pytest
import trimesh

import pruxel.core.steps  # noqa: F401 - registers all steps
from pruxel.core.base.arrays import as_floats, as_indices
from pruxel.core.base.context import Context
from pruxel.core.base.errors import CancelledError, UsageError
from pruxel.core.deliver.deliver import deliver
from pruxel.core.deliver.proof import Outcome
from pruxel.core.pictures.sheet import texture_sheet
from pruxel.core.recipe.cache import MemoryCache
from pruxel.core.recipe.document import Recipe, Rule, StepUse, load_recipe, recipe_text
from pruxel.core.recipe.run import run_recipe
from pruxel.core.scene.checks import problems
from pruxel.core.scene.digest import digest
from pruxel.core.scene.materials import Material, TextureRef
from pruxel.core.scene.measure import measure
from pruxel.core.scene.model import Dressing, Mesh, Node, Primitive, Scene
from pruxel.core.scene.walk import parts
from pruxel.core.steps.references import Reference
from pruxel.core.steps.registry import STEPS, Library
from tests.scenes import animated, everything, gradient, two_boxes

EXAMPLES: dict[str, dict[str, Any]] = {
    "adjust_textures": {"hue": 40, "saturation": 150, "lightness": -10, "black": 5, "gamma": 1.2},
    "agree_faces": {"parts": ["large"]},
    "assign_material": {"parts": ["small"], "material": "tar", "color": "#224466"},
    "bake_additive": {},
    "bake_layers": {"lower": "gradient", "upper": "gradient", "blend": "multiplied", "across": 2},
    "bake_transforms": {},
    "bind_to_joint": {"joint": "hip"},
    "bring_in": {"entry": "props/crate.glb", "at": [2.0, 0.0, 0.5]},
    "choose_class": {"keep": "all but collision hulls"},
    "close_loop": {"over": 0.1},
    "colors_to_texture": {"parts": ["small"], "size": 32},
    "compose_map": {"slot": "metal and roughness", "green": {"value": 40}, "blue": {"value": 0, "inverted": True}},
    "cut_clips": {"at": [0.5]},
    "cut_to_loop": {"least": 30},
    "cut_to_triangles": {"parts": ["large"]},
    "drop_jumps": {},
    "drop_joints": {"ends": False},
    "edit_material": {"color": "#336699", "opacity": 50, "alpha_mode": "BLEND", "coat": 30, "sheen": "#ffffff"},
    "fill_holes": {"edges": 12},
    "fill_slot": {"slot": "tool", "entry": "props/crate.glb", "at": [0.1, 0.0, 0.5]},
    "fill_weights": {},
    "fit_clips": {"entry": "moves/wave.bin"},
    "flip_faces": {"parts": ["small"]},
    "freeze_pose": {"clip": "*", "at": 0.2, "count": 2},
    "height_to_normal": {"strength": 6},
    "join_clips": {"name": "both", "over": 0.1},
    "join_parts": {"parts": ["large", "small"]},
    "keep_clips": {"clips": ["*"], "action": "drop"},
    "key_color": {"color": "#808080", "near": 30, "soft": 40},
    "limit_weights": {"most": 1},
    "link_material": {"entry": "mat/planks.brt"},
    "link_skeleton": {"entry": "skel/diver.brs"},
    "link_texture": {"entry": "tex/planks_c.dds", "slot": "base colour"},
    "make_levels": {"levels": 2, "parts": ["large"]},
    "make_normals": {"parts": ["small"], "angle": 120},
    "make_tangents": {},
    "merge_materials": {},
    "mirror_clips": {},
    "mirror_model": {"axis": "x"},
    "move_uvs": {"flip": "upwards", "scale": [2, 0.5], "turn": 30, "shift": [0.25, 0]},
    "pack_textures": {"into": "each for itself"},
    "pair_triangles": {"parts": ["small"]},
    "pin_feet": {},
    "place_model": {"turn": 30, "centre": True, "ground": True, "shift": [0, 0, 1]},
    "pose": {"clip": "wave", "at": 0.2, "turns": [{"joint": "hip", "turn": [0, 30, 0]}], "pulls": [{"joint": "knee"}]},
    "reduce_keys": {"within": 1},
    "remove_faces": {"parts": ["large"], "what": "doubled"},
    "rename_clips": {"pattern": "{name} {number}"},
    "keep_bones": {},
    "order_joints": {"names": ["knee", "hip"]},
    "settle_sizes": {"how": "even them out"},
    "rename_joints": {"names": ["hip = pelvis"], "pattern": "b_{name}"},
    "rename_materials": {"find": "p", "put": "q"},
    "rename_parts": {"parts": ["small"], "find": "mal", "put": "nai", "pattern": "{parent}_{name}_{number}"},
    "resample_clips": {"rate": 24},
    "resize_textures": {"largest": 6, "sides": "power of two"},
    "retime_clips": {"speed": 2},
    "reverse_clips": {},
    "root_motion": {"action": "on a joint of its own", "height": True},
    "set_rest": {"clip": "wave", "at": 0.2},
    "set_size": {"of": "height", "length": 1.82},
    "set_units": {"factor": 0.01},
    "share_skeleton": {"near": 0.05},
    "show_parts": {"parts": ["large"], "action": "keep"},
    "smooth_weights": {"passes": 3},
    "specular_to_metal": {"level": 30, "tinted": True, "gloss": "a constant"},
    "split_parts": {"parts": ["large"], "by": "piece"},
    "stand_up": {"up": "+z", "front": "-y"},
    "subdivide": {"parts": ["large"]},
    "take_apart": {"map": "base colour", "blue": "as it is", "alpha": "opacity"},
    "take_normals": {"source": "large", "parts": ["small"]},
    "take_weights": {"source": "body"},
    "tell_levels": {"within": 3},
    "texture_to_colors": {"parts": ["large"]},
    "thicken": {"thickness": 0.02},
    "thin_out": {"share": 50},
    "tint_by_mask": {"mask": "gradient", "green": "#3355ff"},
    "trim_clips": {"start": 0.1, "end": 0.4},
    "turn_clips": {"turn": [0, 90, 0]},
    "turn_green": {},
    "unwrap": {"where": "in place of the first", "texels": 256},
    "wear_variant": {"variant": "festive"},
    "weld_vertices": {"distance": 0.001, "normals": 90},
}


def test_every_step_has_an_example() -> None:
    assert sorted(EXAMPLES) == STEPS.names()


# What a step cannot do with these scenes, and says so.
REFUSED = {
    "bake_layers": {"animated", "everything"},
    "take_normals": {"animated", "everything"},
    "tint_by_mask": {"animated", "everything"},
    "link_skeleton": {"boxes"},
    "share_skeleton": {"boxes", "animated", "everything"},
    "height_to_normal": {"animated"},
    "join_parts": {"animated", "everything"},
    "join_clips": {"boxes", "animated"},
    "pin_feet": {"boxes", "animated", "everything"},
} | {
    name: {"boxes"}
    for name in (
        "bake_additive",
        "bind_to_joint",
        "close_loop",
        "cut_clips",
        "cut_to_loop",
        "drop_jumps",
        "drop_joints",
        "fill_weights",
        "fit_clips",
        "freeze_pose",
        "keep_bones",
        "keep_clips",
        "limit_weights",
        "mirror_clips",
        "pose",
        "reduce_keys",
        "rename_clips",
        "order_joints",
        "settle_sizes",
        "rename_joints",
        "resample_clips",
        "retime_clips",
        "reverse_clips",
        "root_motion",
        "set_rest",
        "smooth_weights",
        "take_weights",
        "trim_clips",
        "turn_clips",
    )
}


# What finds nothing to do where variants change every surface.
IDLE = {"pack_textures", "tell_levels"}


class Shelf(Library):
    """One other entry, whatever it is called: a texture where its path says so, else a model."""

    def digest(self, reference: Reference) -> str:
        return digest(self.scene(reference, Context()))

    def scene(self, reference: Reference, context: Context) -> Scene:
        return texture_sheet(gradient(), "x") if reference.name.startswith("tex/") else animated()


def lonely_skeleton() -> Scene:
    return replace(animated(), nodes=tuple(replace(n, mesh=None, skin=None) for n in animated().nodes), meshes=())


def dressed(scene: Scene) -> Scene:
    """The scene in which every second primitive has another material in the variant "festive"."""
    festive = len(scene.materials)
    meshes = tuple(
        replace(
            mesh,
            primitives=tuple(
                replace(p, dressings=(Dressing("festive", festive),)) if number % 2 == 0 else p
                for number, p in enumerate(mesh.primitives)
            ),
        )
        for mesh in scene.meshes
    )
    return replace(scene, meshes=meshes, materials=(*scene.materials, Material("festive", base_color=(1, 0, 0, 1))))


def flawed() -> Scene:
    """Two boxes, of two equal materials, and a ball with a hole.

    The large one is two pieces; a face is turned, one stands twice, and two are a quadrilateral. The small one has
    vertex colours.
    """
    scene = two_boxes()
    [first] = scene.meshes[0].primitives
    first = replace(first, positions=as_floats(first.positions + np.repeat([[0.0], [1.0]], [20, 4], axis=0), 3))
    indices = np.array(first.indices)
    indices[5] = indices[5][::-1]
    sizes = np.array([4, *[3] * 11], np.uint32)
    broken = replace(first, indices=as_indices(np.concatenate([indices, indices[-1:]])), face_sizes=sizes)
    shell = trimesh.creation.icosphere(subdivisions=2)
    ball = Primitive(as_floats(shell.vertices, 3), as_indices(shell.faces[1:]), material=1)
    paint = replace(scene.materials[0], normal_texture=TextureRef(0))
    [crate] = scene.meshes[1].primitives
    shades = np.linspace(0.1, 1, len(crate.positions) * 4, dtype=np.float32).reshape(-1, 4)
    painted = replace(scene.meshes[1], primitives=(replace(crate, colors=(as_floats(shades, 4),)),))
    nodes = (replace(scene.nodes[0], children=(1, 2, 3)), *scene.nodes[1:], Node("ball", mesh=2))
    return replace(
        scene,
        nodes=nodes,
        meshes=(replace(scene.meshes[0], primitives=(broken,)), painted, Mesh("ball", (ball,))),
        materials=(paint, replace(paint, name="paint again")),
    )


def only_lines() -> Scene:
    mesh = replace(everything().meshes[1], primitives=())
    whole = replace(everything(), skins=(), clips=(), cameras=(), lights=(), meshes=(mesh,))
    return replace(whole, name="lines", nodes=(Node("lines", mesh=0),), roots=(0,))


def nothing_in_it() -> Scene:
    return Scene("empty", nodes=(Node("empty", mesh=0),), roots=(0,), meshes=(Mesh("empty", ()),))


# Scenes such as files give: what a step does not know it must leave alone, never fall over.
SCENES: dict[str, Callable[[], Scene]] = {
    "boxes": lambda: dressed(flawed()),
    "animated": lambda: dressed(animated()),
    "everything": lambda: dressed(everything()),
    "skeleton": lonely_skeleton,
    "lines": only_lines,
    "empty": nothing_in_it,
}


def example_for(name: str, scene: Scene) -> dict[str, Any]:
    """The step's example, with the parts that this scene has."""
    values = dict(EXAMPLES[name])
    if "parts" in values and not {"small", "large"} <= {n.name for n in scene.nodes}:
        values["parts"] = [node.name for _, node, _ in parts(scene)][:1]
    return values


@pytest.mark.parametrize("kind", sorted(SCENES))
@pytest.mark.parametrize("name", sorted(EXAMPLES))
def test_contract(name: str, kind: str) -> None:
    step, scene, shelf = STEPS.get(name), SCENES[kind](), Shelf()
    assert problems(scene) == []
    before = digest(scene)
    try:
        params = step.parse(json.loads(json.dumps(example_for(name, scene))))
        first = step.perform(scene, params, Context(), shelf)
    except UsageError as error:
        # A step may refuse a scene that has nothing for it, in words; it never falls over.
        assert kind not in {"boxes", "animated", "everything"} - REFUSED.get(name, set()), error
        assert error.fault.expected or error.fault.hint or error.fault.found
        return
    second = step.perform(scene, params, Context(), shelf)
    assert digest(scene) == before
    assert digest(first.scene) == digest(second.scene)
    assert kind != "boxes" or name in IDLE or digest(first.scene) != before
    assert problems(first.scene) == []
    assert first.summary
    was, now = {n.name for n in scene.nodes}, {n.name for n in first.scene.nodes}
    assert set(first.renamed.values()) <= now
    assert not set(first.removed) & now
    assert was - set(first.removed) - set(first.renamed) <= now, "what is neither renamed nor removed is still there"
    # Whatever it made can be written, by every format, without a word of complaint.
    made = (
        deliver([first.scene], "thing", ["glb"], Path(tempfile.mkdtemp()), Context()) if kind == "everything" else None
    )
    assert made is None or made.outcome is Outcome.PROVEN


@pytest.mark.parametrize("name", sorted(EXAMPLES))
def test_parameters_are_checked_and_stopping_is_heard(name: str) -> None:
    step = STEPS.get(name)
    params = step.parse(EXAMPLES[name])
    assert step.params.model_json_schema()["properties"]
    with pytest.raises(CancelledError):
        step.perform(two_boxes(), params, Context(cancelled=lambda: True), Shelf())
    with pytest.raises(UsageError):
        step.parse(EXAMPLES[name] | {"no_such_option": 1})


@pytest.mark.parametrize(
    "use",
    [
        StepUse(step="bring_in", params=EXAMPLES["bring_in"]),
        StepUse(step="link_texture", params=EXAMPLES["link_texture"], rule=Rule(materials="*")),
    ],
    ids=["named", "by a rule"],
)
def test_what_a_step_brings_in_counts_for_its_key(use: StepUse) -> None:
    """Another entry under the same path gives another result, and the same one none."""

    class Changing(Shelf):
        def __init__(self, scene: Scene) -> None:
            self.held = scene

        def digest(self, reference: Reference) -> str:
            return digest(self.held)

        def scene(self, reference: Reference, context: Context) -> Scene:
            return self.held

    cache = MemoryCache()

    def cached(shelf: Library) -> bool:
        return run_recipe(two_boxes(), [use], cache, Context(), library=shelf).runs[0].cached

    first, second = texture_sheet(gradient(), "x") if use.rule else animated(), everything()
    assert not cached(Changing(first))
    assert cached(Changing(first))
    assert not cached(Changing(second))


def test_what_is_brought_in_stands_where_it_was_asked_for() -> None:
    step = STEPS.get("bring_in")
    made = step.perform(two_boxes(), step.parse({"entry": "x", "at": [5, 6, 7]}), Context(), Shelf())
    top = next(n for n in made.scene.nodes if n.translation == (5.0, 6.0, 7.0))
    assert len(top.children) == len(animated().roots)
    assert len(made.scene.skins) == len(animated().skins)


def test_flipping_twice_is_nothing() -> None:
    use = StepUse(step="flip_faces")
    run = run_recipe(two_boxes(), [use, use], MemoryCache(), Context())
    assert digest(run.scene) == digest(two_boxes())
    assert digest(run.scenes[1]) != digest(two_boxes())


def test_units_scale_every_length() -> None:
    scene = two_boxes()
    run = run_recipe(scene, [StepUse(step="set_units", params={"factor": 0.25})], MemoryCache(), Context())
    np.testing.assert_allclose(measure(run.scene).size, np.array(measure(scene).size) * 0.25, rtol=1e-6)


def test_dropping_parts_drops_what_only_they_used() -> None:
    use = StepUse(step="show_parts", params={"parts": ["large", "small"], "action": "drop"})
    run = run_recipe(two_boxes(), [use], MemoryCache(), Context())
    assert run.runs[0].fault is not None
    assert "no part would be left" in run.runs[0].fault.message
    kept = run_recipe(animated(), [StepUse(step="show_parts", params={"parts": ["body"]})], MemoryCache(), Context())
    assert kept.scene.skins[0].joints
    assert problems(kept.scene) == []


def test_a_variant_is_worn_by_the_chosen_parts() -> None:
    scene, step = dressed(two_boxes()), STEPS.get("wear_variant")
    [small] = [n for n, node, _ in parts(scene) if node.name == "small"]
    found = step.run(scene, step.parse({"variant": "festive", "parts": ["small"]}), Context()).scene
    worn = {node.name: found.materials[p.material].name if p.material is not None else None
            for _, node, mesh in parts(found) for p in mesh.primitives}  # fmt: skip
    assert worn["small"] == "festive"
    assert worn["large"] != "festive"
    assert not any(p.dressings for p in found.meshes[found.nodes[small].mesh or 0].primitives)
    kept = step.run(scene, step.parse({"variant": "festive", "others": True}), Context()).scene
    assert measure(kept).variants == ("festive",)
    with pytest.raises(UsageError, match="no variant called 'plain'"):
        step.run(scene, step.parse({"variant": "plain"}), Context())


def test_a_changed_step_recomputes_only_from_there() -> None:
    cache, scene = MemoryCache(), two_boxes()
    uses = [StepUse(step="flip_faces"), StepUse(step="set_units", params={"factor": 2.0})]
    assert [r.cached for r in run_recipe(scene, uses, cache, Context()).runs] == [False, False]
    uses[1] = StepUse(step="set_units", params={"factor": 3.0})
    assert [r.cached for r in run_recipe(scene, uses, cache, Context()).runs] == [True, False]


def test_a_failing_step_is_told_and_the_rest_goes_on() -> None:
    uses = [StepUse(step="flip_faces", params={"parts": ["nobody"]}), StepUse(step="set_units", params={"factor": 2.0})]
    run = run_recipe(two_boxes(), uses, MemoryCache(), Context())
    assert run.runs[0].fault is not None
    assert "nobody" in run.runs[0].fault.line()
    assert run.runs[1].fault is None


def test_recipes_survive_their_text() -> None:
    recipe = Recipe(name="tidy", steps=tuple(StepUse(step=n, params=p) for n, p in EXAMPLES.items()))
    assert load_recipe(recipe_text(recipe), "r.yaml").model_dump(mode="json") == recipe.model_dump(mode="json")
