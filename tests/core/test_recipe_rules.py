"""Rules of recipes: what they choose in each scene, how steps are kept for others, what a step touched."""

from __future__ import annotations

from dataclasses import replace

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from pruxel.core.base.arrays import as_indices
from pruxel.core.base.context import Context
from pruxel.core.base.errors import InputError, UsageError
from pruxel.core.findings.registry import find
from pruxel.core.images import png
from pruxel.core.recipe.cache import MemoryCache
from pruxel.core.recipe.document import Recipe, Rule, StepUse, load_recipe, recipe_text
from pruxel.core.recipe.mend import mending
from pruxel.core.recipe.rules import check_rule, fits_pattern
from pruxel.core.recipe.run import RecipeRun, run_recipe
from pruxel.core.recipe.touched import Touched, touched
from pruxel.core.recipe.ways import ways
from pruxel.core.scene.images import EncodedImage
from pruxel.core.scene.measure import triangle_count
from pruxel.core.scene.model import Mesh, Node, Scene
from pruxel.core.steps.registry import STEPS
from tests.contracts.test_steps import EXAMPLES, flawed
from tests.scenes import box, two_boxes

CONTEXT = Context()


def run(scene: Scene, *uses: StepUse) -> RecipeRun:
    return run_recipe(scene, uses, MemoryCache(), CONTEXT)


def named(*names: str) -> Scene:
    """A box for each name, every second one of another material."""
    meshes = tuple(Mesh(name, (box(at=(3 * n, 0, 0)),)) for n, name in enumerate(names))
    meshes = tuple(replace(m, primitives=(replace(m.primitives[0], material=n % 2),)) for n, m in enumerate(meshes))
    first = two_boxes().materials[0]
    return Scene(
        "named",
        nodes=tuple(Node(name, mesh=n) for n, name in enumerate(names)),
        roots=tuple(range(len(names))),
        meshes=meshes,
        materials=(replace(first, name="brass", base_color_texture=None), replace(first, name="glass", base_color_texture=None)),
    )  # fmt: skip


def dropped(scene: Scene, rule: Rule) -> list[str]:
    use = StepUse(step="show_parts", params={"action": "drop"}, rule=rule)
    [one] = run(scene, use).runs
    assert one.fault is None, one.fault
    left = {node.name for node in run(scene, use).scene.nodes}
    return [node.name for node in scene.nodes if node.name not in left]


def test_a_rule_chooses_by_name_and_by_what_is_worn() -> None:
    scene = named("hull", "Hull_LOD1", "lamp_lod1", "deck/lod1", "lamp")
    assert dropped(scene, Rule(parts="*lod1")) == ["Hull_LOD1", "lamp_lod1", "deck/lod1"]
    assert dropped(scene, Rule(parts="h*_lod?")) == ["Hull_LOD1"]
    assert dropped(scene, Rule(materials="gl*")) == ["Hull_LOD1", "deck/lod1"]
    assert dropped(scene, Rule(parts="*lod1", materials="brass")) == ["lamp_lod1"]


def test_what_fits_nothing_leaves_the_scene_and_says_so() -> None:
    scene = named("hull", "lamp")
    found = run(scene, StepUse(step="flip_faces", rule=Rule(parts="*_collider")))
    assert found.scene is scene
    assert found.runs[0].summary == "nothing here is called '*_collider'"
    assert found.runs[0].fault is None
    found = run(scene, StepUse(step="flip_faces", rule=Rule(parts="l*", materials="tin*")))
    assert found.runs[0].summary == "nothing here is called 'l*' and has a material 'tin*'"


def test_a_rule_about_materials_fills_materials() -> None:
    scene = named("hull", "lamp")
    use = StepUse(step="rename_materials", params={"find": "gl", "put": "br"}, rule=Rule(materials="GLASS"))
    assert [m.name for m in run(scene, use).scene.materials] == ["brass", "brass"]


@pytest.mark.parametrize(
    ("use", "words"),
    [
        (StepUse(step="set_units", params={"factor": 2.0}, rule=Rule(parts="*")), "cannot follow this rule"),
        (StepUse(step="merge_materials", rule=Rule(parts="*")), "cannot follow this rule"),
        (StepUse(step="flip_faces", rule=Rule(finding="no_such")), "no_such"),
        (StepUse(step="flip_faces", params={"parts": ["a"]}, rule=Rule(finding="inward_faces")), "says with what"),
        (StepUse(step="no_such", rule=Rule(parts="*")), "no_such"),
        (StepUse(step="thin_out", params={"share": 900}, rule=Rule(parts="*")), "at most"),
    ],
)
def test_a_rule_that_cannot_be_followed_is_told_before_any_scene(use: StepUse, words: str) -> None:
    with pytest.raises(UsageError) as caught:
        check_rule(use)
    assert words in caught.value.fault.line()
    if "says with what" not in words:
        assert run(named("hull"), use).runs[0].fault is not None


def test_a_finding_as_a_rule_mends_each_model_by_its_own_numbers() -> None:
    def inside_out(*names: str) -> Scene:
        scene = named("hull", "lamp", "mast")
        turned = tuple(
            replace(m, primitives=tuple(replace(p, indices=as_indices(p.indices[:, ::-1])) for p in m.primitives))
            if m.name in names
            else m
            for m in scene.meshes
        )
        return replace(scene, meshes=turned)

    use = StepUse(step="flip_faces", rule=Rule(finding="inward_faces"))
    for names in (("hull",), ("lamp", "mast"), ()):
        scene = inside_out(*names)
        done = run(scene, use)
        assert set(touched(scene, done.scene).changed) == set(names)
        assert not [f for f in find(done.scene, CONTEXT) if f.rule == "inward_faces"]
        assert done.runs[0].summary.startswith("nothing to mend") == (not names)


def test_mending_ends_with_nothing_left_to_propose_and_is_a_recipe_for_others() -> None:
    scene = flawed()
    uses = mending(scene, CONTEXT)
    assert uses
    assert all(use.rule is not None and use.rule.finding for use in uses)
    done = run(scene, *uses)
    assert not [f.title for f in find(done.scene, CONTEXT) if f.suggestion]
    assert not any(one.fault for one in done.runs)
    kept = load_recipe(recipe_text(Recipe(name="all", steps=uses)), "r.yaml")
    assert kept.steps == uses
    again = run(two_boxes(), *kept.steps)
    assert not any(one.fault for one in again.runs)
    wanted = {use.rule.finding for use in uses if use.rule}
    assert not [f.title for f in find(again.scene, CONTEXT) if f.suggestion and f.rule in wanted]


def test_a_rule_is_part_of_the_key() -> None:
    scene, cache = named("hull", "lamp"), MemoryCache()
    keys = [
        run_recipe(scene, [StepUse(step="flip_faces", rule=rule)], cache, CONTEXT).keys[-1]
        for rule in (Rule(parts="h*"), Rule(parts="l*"), None, Rule(materials="h*"))
    ]
    assert len(set(keys)) == 4
    warm = run_recipe(scene, [StepUse(step="flip_faces", rule=Rule(parts="h*"))], cache, CONTEXT)
    assert warm.runs[0].cached


def test_ways_of_keeping_mean_here_just_what_the_step_takes() -> None:
    scene = named("hull_a", "hull_a_lod1", "lamp_lod1", "mast")
    use = StepUse(step="show_parts", params={"parts": ["hull_a_lod1", "lamp_lod1"], "action": "drop"})
    offered = ways(scene, use)
    assert [way.words for way in offered] == ["parts called *lod1", "just these 2 names"]
    for way in offered:
        kept = StepUse(step=use.step, params=way.params, rule=way.rule)
        assert {n.name for n in run(scene, kept).scene.nodes} == {"hull_a", "mast"}
    assert [way.words for way in ways(scene, StepUse(step="flip_faces", params={"parts": ["mast", "hull_a_lod1"]}))] == [
        "parts that wear glass",
        "just these 2 names",
    ]  # fmt: skip
    because = StepUse(step="flip_faces", params={"parts": ["mast"]}, because="inward_faces")
    assert ways(scene, because)[0].rule == Rule(finding="inward_faces")
    assert ways(scene, StepUse(step="set_units", params={"factor": 2.0})) == ()
    # A finding that never says what mends it cannot be followed elsewhere.
    given = {"entry": "t.png", "materials": ["glass"], "slot": "base colour"}
    found = ways(scene, StepUse(step="link_texture", params=given, because="missing_textures"))
    assert found
    assert not [way for way in found if way.rule is not None and way.rule.finding]


@given(st.lists(st.text(min_size=1, max_size=12), min_size=1, max_size=6, unique=True), st.data())
def test_every_way_offered_is_exact_whatever_names_hold(names: list[str], data: st.DataObject) -> None:
    scene = named(*names)
    chosen = data.draw(st.lists(st.sampled_from(names), min_size=1, unique=True))
    use = StepUse(step="flip_faces", params={"parts": chosen})
    for way in ways(scene, use):
        done = run(scene, StepUse(step=use.step, params=way.params, rule=way.rule))
        assert done.runs[0].fault is None
        assert set(touched(scene, done.scene).changed) == set(chosen)


@pytest.mark.parametrize(
    ("name", "pattern", "fits"),
    [("a/b", "a*", True), ("A_LOD1", "*lod?", True), ("lamp", "lam", False), ("x", "", False), ("[a]", "[a]", True)],
)
def test_patterns_are_held_against_whole_names(name: str, pattern: str, *, fits: bool) -> None:
    assert fits_pattern(name, pattern) is fits


def gradient_turned() -> EncodedImage:
    return EncodedImage(png.encode(np.full((4, 4, 4), 90, np.uint8)), "image/png")


def test_what_was_touched_is_told_by_content() -> None:
    scene = two_boxes()
    copied = replace(
        scene, meshes=tuple(replace(m, primitives=tuple(replace(p) for p in m.primitives)) for m in scene.meshes)
    )
    assert touched(scene, copied).nothing
    assert touched(scene, scene) == Touched()
    thinner = run(scene, StepUse(step="set_units", params={"factor": 0.5})).scene
    assert set(touched(scene, thinner).changed) == {"large", "small"}
    gone = run(scene, StepUse(step="show_parts", params={"parts": ["large"], "action": "drop"})).scene
    assert touched(scene, gone) == Touched(removed=("large",))
    assert touched(gone, scene).added == ("large",)
    painted = run(scene, StepUse(step="edit_material", params={"metallic": 0.25})).scene
    assert touched(scene, painted).materials == tuple(m.name for m in scene.materials)
    assert not touched(scene, painted).changed
    image = scene.images[0]
    other = replace(scene, images=(replace(image, content=gradient_turned()), *scene.images[1:]))
    assert touched(scene, other).materials


def test_numbers_that_shift_are_no_change() -> None:
    """Where the first material goes, every index behind it moves, and nobody else is touched."""
    scene = named("hull", "lamp")
    gone = run(scene, StepUse(step="show_parts", params={"parts": ["hull"], "action": "drop"})).scene
    assert len(gone.materials) == 1
    assert touched(scene, gone) == Touched(removed=("hull",))


@pytest.mark.parametrize("name", sorted(EXAMPLES))
def test_a_step_that_touched_nothing_left_everything(name: str) -> None:
    if STEPS.get(name).needs(STEPS.get(name).parse(EXAMPLES[name])):
        pytest.skip("it brings in what is not here")
    scene = flawed()
    done = run(scene, StepUse(step=name, params=EXAMPLES[name]))
    if touched(scene, done.scene).nothing:
        assert triangle_count(done.scene) == triangle_count(scene)


@pytest.mark.parametrize(
    ("text", "words"),
    [
        ("recipe: 2\nsteps: []", "newer version"),
        ("recipe: 1\nsteps: [{step: x, rule: {}}]", "patterns"),
        ("recipe: 1\nsteps: [{step: x, rule: {parts: a, finding: b}}]", "patterns"),
        ("recipe: 1\nsteps: [{step: x, rule: {shape: a}}]", "shape"),
        ("[1, 2]", "hold together"),
        ("recipe: 1\nsteps: []", "a recipe has steps"),
    ],
)
def test_recipes_that_are_wrong_say_where(text: str, words: str) -> None:
    with pytest.raises(InputError) as caught:
        load_recipe(text, "r.yaml")
    assert words in caught.value.fault.line()
