"""Clips of one skeleton on another: what joints are called, which is which, and where they go."""

from __future__ import annotations

from dataclasses import replace

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from pruxel.core.base.context import Context
from pruxel.core.base.errors import UsageError
from pruxel.core.fit.both import both_at
from pruxel.core.fit.ends import ends_of, paths_apart, with_ends_held
from pruxel.core.fit.joint_kinds import kinds_in
from pruxel.core.fit.joint_names import meanings
from pruxel.core.fit.pairing import known_pairs, pair_joints, skeleton_of
from pruxel.core.fit.transfer import carried_over, fitted
from pruxel.core.geometry.euler import turns_of_euler
from pruxel.core.geometry.transforms import quaternion_matrix
from pruxel.core.scene.checks import problems
from pruxel.core.scene.keys import between, end_of
from pruxel.core.scene.model import Scene
from pruxel.core.scene.motion_at import worlds
from pruxel.core.scene.walk import world_from_local
from pruxel.core.steps.registry import STEPS, Library
from tests.contracts.test_zoo import read
from tests.figures import BODY, dance, skeleton
from tests.scenes import everything, two_boxes
from tests.zoo import FOLDER

OTHER_NAMES = {
    "hips": "Rig:Pelvis", "spine": "Rig:Spine1", "chest": "Rig:Spine2", "neck": "Rig:Neck", "head": "Rig:Head",
    "shoulder": "Rig:{S}Collar", "upper_arm": "Rig:{S}UpperArm", "forearm": "Rig:{S}ForeArm", "hand": "Rig:{S}Wrist",
    "thigh": "Rig:{S}UpLeg", "shin": "Rig:{S}Knee", "foot": "Rig:{S}Ankle", "toe": "Rig:{S}Ball",
}  # fmt: skip


def renamed(name: str) -> str:
    for side in ("left", "right"):
        if name.startswith(side):
            return OTHER_NAMES[name.removeprefix(f"{side}_")].format(S=side[0].upper() + "_")
    return OTHER_NAMES[name]


def carried(source: Scene, target: Scene) -> Scene:
    a, b = skeleton_of(source), skeleton_of(target)
    fit = fitted(source, target, a, b, pair_joints(a, b))
    done = replace(target, clips=tuple(carried_over(fit, clip) for clip in source.clips))
    assert problems(done) == []
    return done


def places(scene: Scene, keys: int = 7) -> np.ndarray:
    """(m, n, 3) places of all joints at the keys of the first clip."""
    clip = scene.clips[0]
    return worlds(scene, clip, np.linspace(0, end_of(clip), keys))[..., :3, 3]


@pytest.mark.parametrize(
    ("name", "meant"),
    [
        ("LeftForeArm", "left forearm"), ("upperarm_l", "left upper arm"), ("R Calf", "right shin"),
        ("Oberschenkel_L", "left thigh"), ("hand.R", "right hand"), ("hidari_hiji", "left forearm"),
        ("spine_02", "spine 2"), ("lThumb1", "left thumb 1"), ("leg_upper_R", "right thigh"), ("clavicle_l", "left shoulder"),
        ("avantbras.droit", "right forearm"), ("leftarm", "left upper arm"), ("Pelvis", "hips"), ("lowerleg_r", "right shin"),
        ("RightHandIndex2", "right index 2"), ("Knöchel_links", "left foot"), ("thing_17", "17"), ("L_Eye", "left eye"),
        ("upperarm_twist_01_l", "left twist 1"), ("tail3", "tail 3"), ("muñeca_izquierda", "left hand"), ("upright", ""), ("armright", "right upper arm"),
    ],
)  # fmt: skip
def test_names_mean_bones(name: str, meant: str) -> None:
    assert meanings([name])[0].words() == meant


def test_what_all_names_begin_with_means_nothing() -> None:
    names = ["arm.rig.hips", "arm.rig.head", "arm.rig.left_hand"]
    assert [one.kind for one in meanings(names)] == ["hips", "head", "hand"]


def test_joints_of_other_names_are_met_and_why_is_told() -> None:
    body = skeleton(BODY)
    other = skeleton([(renamed(n), renamed(up) if up else "", place) for n, up, place in BODY])
    pairs = pair_joints(skeleton_of(body), skeleton_of(other))
    assert {p.source: p.target for p in pairs} == {n: renamed(n) for n, _, _ in BODY}
    why = {p.source: p.why for p in pairs}
    assert why["left_shin"] == "both mean left shin"
    assert why["neck"] == "the same name but for how it is written"
    assert min(p.sureness for p in pairs) > 0.7


def test_joints_of_no_names_are_met_by_how_they_stand() -> None:
    """Arms out against arms down, half as large, a joint more in the spine, and nothing but numbers."""
    number = {name: f"bone{n}" for n, (name, _, _) in enumerate(BODY)}
    out = []
    for name, above, place in BODY:
        x, y, z = place
        for s, side in ((1, "left"), (-1, "right")):
            if name in {f"{side}_forearm", f"{side}_hand"}:
                x, y = (0.18 + (1.48 - y)) * s, 1.48
        out.append((number[name], number[above] if above else "", (0.5 * x, 0.5 * y, 0.5 * z)))
    at = next(n for n, one in enumerate(out) if one[0] == number["chest"])
    out.insert(at, ("extra", number["spine"], (0, 0.62, 0)))
    out[at + 1] = (out[at + 1][0], "extra", out[at + 1][2])
    pairs = pair_joints(skeleton_of(skeleton(BODY)), skeleton_of(skeleton(out)))
    right = sum(number[p.source] == p.target for p in pairs)
    assert right >= len(BODY) - 2, [(p.source, p.target) for p in pairs if number[p.source] != p.target]


# Two people who were really captured, as two studios call their joints: what every body has.
REAL = {
    "Hips": "Hips", "LowerBack": "Ab", "Spine1": "Chest", "Neck": "Neck", "Head": "Head", "Left Shoulder": "Collar",
    "Left Arm": "Shoulder", "Left ForeArm": "Elbow", "Left Hand": "Wrist", "Left UpLeg": "Hip", "Left Leg": "Knee",
    "Left Foot": "Ankle", "Left ToeBase": "Toes",
}  # fmt: skip


def real_pairs() -> dict[str, str]:
    found = {}
    for name, other in REAL.items():
        for side in ("Left", "Right") if " " in name else ("",):
            found[name.replace("Left ", side)] = side + other
    return found


def captured(name: str) -> Scene:
    return read(FOLDER / "BVH" / f"{name}.bvh").scene


def test_of_two_people_who_were_captured_the_main_joints_are_met() -> None:
    one, other = (skeleton_of(captured(name)) for name in ("01_01", "Boxing_Toes"))
    for first, second, right in (
        (one, other, real_pairs()), (other, one, {b: a for a, b in real_pairs().items()})
    ):  # fmt: skip
        met = {p.source: p.target for p in pair_joints(first, second)}
        share = sum(met.get(name) == wanted for name, wanted in right.items()) / len(right)
        assert share >= 0.95, {name: met.get(name) for name, wanted in right.items() if met.get(name) != wanted}


def test_a_real_walk_goes_over_to_another_real_body() -> None:
    source, target = captured("01_01"), captured("Boxing_Toes")
    a, b = skeleton_of(source), skeleton_of(target)
    fit = fitted(source, target, a, b, pair_joints(a, b))
    clip = replace(source.clips[0], channels=tuple(between(c, 0.0, 2.0) for c in source.clips[0].channels))
    made = carried_over(fit, clip)
    assert problems(replace(target, clips=(made,))) == []
    apart = paths_apart(fit, ends_of(fit), both_at(fit, clip, made))
    assert len(ends_of(fit)) == 4
    limb = float(np.linalg.norm(b.places[b.names.index("LeftHip")] - b.places[b.names.index("LeftAnkle")]))
    assert apart < 0.12 * limb
    held = with_ends_held(fit, ends_of(fit), clip, made)
    assert paths_apart(fit, ends_of(fit), both_at(fit, clip, held)) < 0.25 * apart


def test_kept_pairs_count_for_those_who_have_both_joints_whichever_way_round() -> None:
    kept = ["paw = hand.L", "paw = foot.L", "hand.L = fist", "tail =", "other = strange"]
    assert known_pairs(kept, ["paw", "tail"], ["hand.L", "foot.L"]) == ["paw = hand.L", "tail ="]
    assert known_pairs(kept, ["hand.L"], ["paw", "fist"]) == ["hand.L = paw"]
    assert known_pairs(kept, ["fist"], ["hand.L", "tail"]) == ["fist = hand.L"]
    assert known_pairs(kept, ["x"], ["y"]) == []


def test_a_word_for_two_bones_is_told_by_its_neighbours() -> None:
    def kinds(*names: str) -> list[str]:
        return [one.kind for one in kinds_in(names, np.arange(-1, len(names) - 1))]

    assert kinds("chest", "collar_l", "shoulder_l", "elbow_l") == ["chest", "shoulder", "upper arm", "forearm"]
    assert kinds("chest", "shoulder_l", "arm_l", "hand_l") == ["chest", "shoulder", "upper arm", "hand"]
    assert kinds("hips", "hip_l", "knee_l", "ankle_l") == ["hips", "thigh", "shin", "foot"]
    assert kinds("pelvis", "leg1_r", "leg2_r", "foot_r") == ["hips", "thigh", "shin", "foot"]
    assert kinds("spine", "spine1", "spine2", "neck", "head", "head_end") == [
        "spine", "spine", "chest", "neck", "head", "",
    ]  # fmt: skip


def test_what_a_person_says_counts() -> None:
    body, other = skeleton_of(skeleton(BODY)), skeleton_of(skeleton(BODY))
    found = {p.source: p for p in pair_joints(body, other, {"left_hand": "right_hand", "head": "", "nothing": "x"})}
    assert (found["left_hand"].target, found["left_hand"].why) == ("right_hand", "said by hand")
    assert "head" not in found


def test_on_the_same_skeleton_the_keys_are_the_very_ones() -> None:
    source = dance(skeleton(BODY))
    done = carried(source, skeleton(BODY))
    for mine, theirs in zip(source.clips[0].channels, done.clips[0].channels, strict=True):
        assert mine is theirs or (mine.node == theirs.node and mine.values is theirs.values)
    other = skeleton([(renamed(n), renamed(up) if up else "", place) for n, up, place in BODY])
    np.testing.assert_allclose(places(carried(source, other)), places(source), atol=1e-5)


@settings(max_examples=12)
@given(seed=st.integers(0, 2**32 - 1))
def test_however_joints_are_rolled_they_go_where_theirs_go(seed: int) -> None:
    rng = np.random.default_rng(seed)

    def frames() -> dict[str, np.ndarray]:
        return {name: turns_of_euler(rng.uniform(-180, 180, (1, 3)))[0] for name, _, _ in BODY}

    source = dance(skeleton(BODY, frames()), seed)
    np.testing.assert_allclose(places(carried(source, skeleton(BODY, frames()))), places(source), atol=1e-4)


@pytest.mark.parametrize("size", [0.5, 1.7])
def test_a_larger_body_goes_as_much_farther(size: float) -> None:
    source = dance(skeleton(BODY))
    large = skeleton([(n, up, tuple(size * v for v in place)) for n, up, place in BODY])
    np.testing.assert_allclose(places(carried(source, large)), size * places(source), atol=1e-4)


def test_arms_that_rest_otherwise_move_as_theirs_do() -> None:
    """Arms out: of limbs as long, every joint is at every key where the source's is."""
    out = []
    for name, above, place in BODY:
        for s, side in ((1, "left"), (-1, "right")):
            if name in {f"{side}_forearm", f"{side}_hand"}:
                before = np.array({n: p for n, _, p in BODY}[f"{side}_upper_arm"])
                way = np.array(place) - before
                place = tuple(before + np.array([-way[1] * s, way[0] * s, way[2]]))  # noqa: PLW2901
        out.append((name, above, place))
    source = dance(skeleton(BODY))
    done = carried(source, skeleton(out))
    np.testing.assert_allclose(places(done), places(source), atol=1e-4)


def test_a_world_with_another_axis_up_is_turned() -> None:
    lying = quaternion_matrix((np.sin(np.pi / 4), 0, 0, np.cos(np.pi / 4)))
    source = dance(skeleton(BODY))
    target = skeleton([(n, up, tuple(lying @ np.array(place))) for n, up, place in BODY])
    np.testing.assert_allclose(places(carried(source, target)), places(source) @ lying.T, atol=1e-4)


def test_what_has_no_partner_rests() -> None:
    source = dance(skeleton([one for one in BODY if "hand" not in one[0]]))
    done = carried(source, skeleton(BODY))
    moved = {done.nodes[c.node].name for c in done.clips[0].channels}
    assert not {"left_hand", "right_hand"} & moved
    hand = [n for n, node in enumerate(done.nodes) if node.name == "left_hand"]
    assert hand
    local = np.linalg.norm(places(done)[:, hand[0]] - places(done)[:, hand[0] - 1], axis=1)
    rest = world_from_local(done)[:, :3, 3]
    np.testing.assert_allclose(local, np.linalg.norm(rest[hand[0]] - rest[hand[0] - 1]), atol=1e-5)


class Elsewhere(Library):
    """One entry: a body that dances."""

    def __init__(self, scene: Scene) -> None:
        self._scene = scene

    def digest(self, _reference: object) -> str:
        return "one"

    def scene(self, _reference: object, _context: Context) -> Scene:
        return self._scene


def test_the_step_brings_clips_in_and_says_what_has_no_partner() -> None:
    step = STEPS.get("fit_clips")
    source = dance(skeleton([*BODY, ("left_wing", "chest", (0.3, 1.6, -0.3))]))
    done = step.perform(skeleton(BODY), step.parse({"entry": "x"}), Context(), Elsewhere(source))
    assert done.summary == "1 clip of “body”, 21 of 22 joints met; without a partner: left_wing"
    assert [clip.name for clip in done.scene.clips] == ["dance"]
    apart = step.parse({"entry": "x", "pairs": ["left_hand =", "right_hand = left_hand"]})
    moved = step.perform(skeleton(BODY), apart, Context(), Elsewhere(source)).scene
    assert "right_hand" not in {moved.nodes[c.node].name for c in moved.clips[0].channels if c.path == "rotation"}
    with pytest.raises(UsageError, match="no pair of joints"):
        step.perform(skeleton(BODY), step.parse({"entry": "x", "pairs": ["hand"]}), Context(), Elsewhere(source))
    with pytest.raises(UsageError, match="there are no clips"):
        step.perform(skeleton(BODY), step.parse({"entry": "x"}), Context(), Elsewhere(skeleton(BODY)))
    alone = replace(two_boxes(), nodes=tuple(replace(n, name=f"x{k}") for k, n in enumerate(two_boxes().nodes)))
    with pytest.raises(UsageError, match="has a partner here"):
        step.perform(alone, step.parse({"entry": "x"}), Context(), Elsewhere(source))


def test_a_long_clip_is_worked_through_in_stretches(monkeypatch: pytest.MonkeyPatch) -> None:
    source = dance(skeleton(BODY), keys=41)
    large = skeleton([(n, up, tuple(1.3 * v for v in place)) for n, up, place in BODY])
    whole = carried(source, large)
    monkeypatch.setattr("pruxel.core.fit.transfer._MOST_NUMBERS", 16 * len(BODY) * 7)
    parts = carried(source, large)
    for a, b in zip(whole.clips[0].channels, parts.clips[0].channels, strict=True):
        assert (a.node, a.path) == (b.node, b.path)
        np.testing.assert_array_equal(a.values, b.values)


def test_shapes_go_along_where_there_are_as_many() -> None:
    scene = everything()
    clip = next(c for c in scene.clips if any(ch.path == "weights" for ch in c.channels))
    fit = fitted(scene, replace(scene, clips=()), skeleton_of(scene), skeleton_of(replace(scene, clips=())), [])
    wanted = [c for c in clip.channels if c.path == "weights"]
    assert [c.values is w.values for c, w in zip(carried_over(fit, clip).channels, wanted, strict=True)] == [
        True
    ] * len(wanted)
    bare = replace(
        scene,
        meshes=tuple(replace(m, primitives=tuple(replace(p, targets=()) for p in m.primitives)) for m in scene.meshes),
    )
    other = fitted(scene, bare, skeleton_of(scene), skeleton_of(bare), [])
    assert carried_over(other, clip).channels == ()


@pytest.mark.parametrize("hold", ["nothing", "hands and feet"])
def test_hands_and_feet_are_held_to_their_paths(hold: str) -> None:
    """Onto a body whose shins are short and whose thighs are long: without, its feet go astray."""
    other = [
        (
            name,
            above,
            (x, y + 0.2, z) if name.endswith("_shin") else (x * 1.1, y + 0.1, z) if "forearm" in name else (x, y, z),
        )
        for name, above, (x, y, z) in BODY
    ]
    target, source = skeleton(other), dance(skeleton(BODY), swing=15)
    step = STEPS.get("fit_clips")
    done = step.perform(target, step.parse({"entry": "moves", "hold": hold}), Context(), Elsewhere(source))
    told = {one.label: float(one.value) for one in done.measured}["hands and feet off their paths by"]
    assert told < 0.5 if hold != "nothing" else told > 2
    names = [node.name for node in target.nodes]
    seconds = np.linspace(0, 2, 7)
    ours, theirs = (worlds(one, one.clips[0], seconds)[..., :3, 3] for one in (done.scene, source))
    if hold == "nothing":
        return
    for end, upper in (("left_foot", "left_thigh"), ("right_hand", "right_upper_arm")):
        a, b = names.index(end), names.index(upper)
        ratio = _limb_length(target, upper, end) / _limb_length(source, upper, end)
        np.testing.assert_allclose(ours[:, a] - ours[:, b], ratio * (theirs[:, a] - theirs[:, b]), atol=5e-3)


def _limb_length(scene: Scene, upper: str, end: str) -> float:
    names = [node.name for node in scene.nodes]
    places = world_from_local(scene)[:, :3, 3]
    a, c = places[names.index(upper)], places[names.index(end)]
    b = places[names.index(end.replace("foot", "shin").replace("hand", "forearm"))]
    return float(np.linalg.norm(b - a) + np.linalg.norm(c - b))
