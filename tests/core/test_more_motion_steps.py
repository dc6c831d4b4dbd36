"""Clips with fewer keys, cut, joined, mirrored, turned, on the spot, with feet that stay, and on what they add to."""

from __future__ import annotations

from dataclasses import replace
from math import cos, pi, sin
from typing import Any

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

import pruxel.core.steps  # noqa: F401 - registers all steps
from pruxel.core.base.context import Context
from pruxel.core.base.errors import UsageError
from pruxel.core.findings.registry import find
from pruxel.core.fit.ground import treading
from pruxel.core.fit.limbs import limb_to, reached
from pruxel.core.fit.mirror import opposites
from pruxel.core.fit.pairing import skeleton_of
from pruxel.core.geometry.euler import angles_between_deg, products, slerps, turns_of_euler
from pruxel.core.geometry.reducing import needed_keys, needed_turns
from pruxel.core.scene.checks import entered, problems
from pruxel.core.scene.keys import at_times, end_of, with_keys
from pruxel.core.scene.model import Clip, ClipChannel, Scene
from pruxel.core.scene.motion_at import worlds
from pruxel.core.scene.surface_motion import apart_at_surface
from pruxel.core.scene.walk import node_named, world_from_local
from pruxel.core.steps.registry import STEPS, StepResult
from tests.figures import BODY, dance, fleshed, moved_by, rolled, skeleton

MOMENTS = np.linspace(0, 2, 41)


def run(what: str, scene: Scene, /, **params: Any) -> StepResult:
    step = STEPS.get(what)
    done = step.run(scene, step.parse(params), Context())
    assert problems(done.scene) == []
    return done


def places(scene: Scene, clip: Clip, seconds: np.ndarray, *names: str) -> np.ndarray:
    """(m, n, 3) places of joints in the world, all of the body where none is named."""
    nodes = [node_named(scene, name) for name in (names or [name for name, _, _ in BODY])]
    return worlds(scene, clip, seconds)[:, nodes][..., :3, 3]


def found(scene: Scene, rule: str) -> list[Any]:
    return [one for one in find(scene, Context()) if one.rule == rule]


def walk(scene: Scene, speed: float = 0.5, slide: float = 0.0) -> Scene:
    """A figure that shifts its weight and goes ahead; in `slide` metres a second its standing feet go along."""

    def height(t: float) -> float:
        return 0.95 + 0.02 * cos(2 * pi * t)

    def leg(side: float):
        def thigh(t: float) -> list[float]:
            return turns_of_euler(np.array([[25 * sin(pi * t + side), 0, 0]]))[0].tolist()

        def shin(t: float) -> list[float]:
            return turns_of_euler(np.array([[20 + 20 * cos(pi * t + side), 0, 0]]))[0].tolist()

        return thigh, shin

    tracks: dict[Any, Any] = {("hips", "translation"): lambda t: (0, height(t), (speed + slide) * t)}
    for name, side in (("left", 0.0), ("right", pi)):
        thigh, shin = leg(side)
        tracks |= {(f"{name}_thigh", "rotation"): thigh, (f"{name}_shin", "rotation"): shin}
    return moved_by(scene, "walk", tracks)


# What keys can be left out


@st.composite
def paths(draw: st.DrawFn) -> tuple[np.ndarray, np.ndarray]:
    """Ascending times, and rows of numbers that now run straight and now do not."""
    count = draw(st.integers(2, 60))
    rng = np.random.default_rng(draw(st.integers(0, 2**32 - 1)))
    times = np.cumsum(rng.uniform(0.01, 0.4, count))
    rows = np.cumsum(rng.normal(size=(count, 3)) * rng.integers(0, 2, (count, 1)), axis=0)
    return times, rows


@given(path=paths(), most=st.floats(0, 3))
def test_straight_ways_between_kept_keys_pass_near_all_others(path: tuple[np.ndarray, np.ndarray], most: float) -> None:
    times, rows = path
    keep = needed_keys(times, rows, np.full(3, most))
    assert keep[0]
    assert keep[-1]
    between = np.stack([np.interp(times, times[keep], rows[keep, c]) for c in range(3)], axis=1)
    assert np.abs(between - rows).max() <= most + 1e-9


@given(path=paths(), most=st.floats(0, 1))
def test_arcs_between_kept_turns_pass_near_all_others(path: tuple[np.ndarray, np.ndarray], most: float) -> None:
    times, rows = path
    turns = turns_of_euler(rows * 15)
    keep = needed_turns(times, turns, most)
    kept = np.flatnonzero(keep)
    before = np.clip(np.searchsorted(kept, np.arange(len(times)), "right") - 1, 0, len(kept) - 2)
    a, b = kept[before], kept[before + 1]
    arcs = slerps(turns[a], turns[b], (times - times[a]) / (times[b] - times[a]))
    assert np.radians(angles_between_deg(arcs, turns)).max() <= most + 1e-6


def test_a_steady_turn_needs_few_keys_and_a_straight_way_two() -> None:
    times = np.linspace(0, 4, 200)
    steady = turns_of_euler(np.stack([90 * times, 0 * times, 0 * times], axis=1))
    assert needed_turns(times, steady, 1e-4).sum() <= 4
    assert needed_keys(times, np.outer(times, [1, 2, 3]), np.full(3, 1e-9)).sum() == 2


@pytest.mark.parametrize("within", [0.0, 0.2, 5.0])
def test_with_fewer_keys_the_surface_stays_as_near_as_asked(within: float) -> None:
    scene = dance(fleshed(skeleton(BODY, rolled(4))), keys=9)
    scene = run("resample_clips", scene, rate=60).scene
    done = run("reduce_keys", scene, within=within)
    told = {one.label: float(one.value) for one in done.measured}
    apart = apart_at_surface(scene, scene.clips[0], done.scene, done.scene.clips[0], np.linspace(0, 2, 97))
    assert 1000 * apart <= max(within, told["farthest from where it was"]) + 0.02
    assert told["farthest from where it was"] <= within
    # Between nine keys it went straight: nothing is lost by leaving out what lies there.
    assert told["keys now"] < 0.35 * told["keys before"] or within == 0
    assert end_of(done.scene.clips[0]) == end_of(scene.clips[0])


# Cut and joined


def test_a_clip_is_cut_where_it_stands_still_and_each_piece_is_what_it_was() -> None:
    scene = moved_by(
        skeleton(BODY),
        "all",
        {("head", "rotation"): lambda t: turns_of_euler(np.array([[nod(t), 0, 0]]))[0]},
        seconds=6.0,
    )
    done = run("cut_clips", scene, still=0.5).scene
    assert [clip.name for clip in done.clips] == ["all 1", "all 2"]
    assert [round(end_of(clip), 1) for clip in done.clips] == [1.0, 2.0]
    for clip, start in zip(done.clips, (1.0, 4.0), strict=True):
        inner = np.linspace(0, end_of(clip), 7)
        np.testing.assert_allclose(places(done, clip, inner), places(scene, scene.clips[0], inner + start), atol=1e-5)


def nod(t: float) -> float:
    """Degrees: still but from 1 to 2 and from 4 to 6 seconds."""
    if 1 <= t <= 2:
        return 30 * sin(pi * (t - 1)) ** 2
    return 20 * sin(pi * (t - 4) / 2) ** 2 if 4 <= t <= 6 else 0.0


@given(a=st.floats(0.1, 1.9), b=st.floats(0.1, 1.9))
@settings(max_examples=15)
def test_cut_at_moments_and_joined_again_it_is_what_it_was(a: float, b: float) -> None:
    scene = dance(skeleton(BODY))
    cut = run("cut_clips", scene, at=[a, b]).scene
    if len(cut.clips) < 2:
        return
    done = run("join_clips", cut, name="whole", over=0).scene
    [whole] = done.clips
    assert end_of(whole) == pytest.approx(end_of(scene.clips[0]), abs=1e-4)
    apart = places(done, whole, MOMENTS) - places(scene, scene.clips[0], MOMENTS)
    assert np.abs(apart).max() < 2e-3


def test_clips_go_over_into_each_other_without_a_jump() -> None:
    first, second = dance(skeleton(BODY), 1), dance(skeleton(BODY), 2)
    both = replace(first, clips=(replace(first.clips[0], name="one"), replace(second.clips[0], name="two")))
    done = run("join_clips", both, clips=["two", "one"], over=0.4, keep=True).scene
    joined = done.clips[-1]
    assert [clip.name for clip in done.clips] == ["one", "two", "joined"]
    assert end_of(joined) == pytest.approx(3.6, abs=1e-4)
    alone = places(both, both.clips[1], np.linspace(0, 1.6, 9))
    np.testing.assert_allclose(places(done, joined, np.linspace(0, 1.6, 9)), alone, atol=1e-4)
    np.testing.assert_allclose(
        places(done, joined, np.linspace(2.0, 3.6, 9)), places(both, both.clips[0], np.linspace(0.4, 2, 9)), atol=1e-4
    )
    fine = places(done, joined, np.linspace(0, 3.6, 361))
    usual = max(np.abs(np.diff(places(both, clip, np.linspace(0, 2, 201)), axis=0)).max() for clip in both.clips)
    assert np.abs(np.diff(fine, axis=0)).max() < 2 * usual
    with pytest.raises(UsageError, match="nothing to join"):
        run("join_clips", first)


# Left and right


@pytest.mark.parametrize("seed", [None, 5])
def test_a_mirrored_clip_goes_where_a_mirror_shows_it(seed: int | None) -> None:
    """However the joints are rolled; sides by name."""
    scene = dance(skeleton(BODY, None if seed is None else rolled(seed)))
    done = run("mirror_clips", scene).scene
    other = opposites(skeleton_of(scene), 0)
    assert other["left_hand"] == "right_hand"
    assert other["head"] == "head"
    shown = places(scene, scene.clips[0], MOMENTS) * (-1, 1, 1)
    names = [name for name, _, _ in BODY]
    order = [names.index(other[name]) for name in names]
    np.testing.assert_allclose(places(done, done.clips[1], MOMENTS), shown[:, order], atol=2e-3)
    keys = np.linspace(0, 2, 7)
    again = run("mirror_clips", done, clips=["dance mirrored"], keep=False, pattern="back").scene
    np.testing.assert_allclose(places(again, again.clips[1], keys), places(scene, scene.clips[0], keys), atol=1e-4)


def test_sides_without_names_are_told_by_place() -> None:
    plain = skeleton(
        [(f"bone{n}", up and f"bone{[b[0] for b in BODY].index(up)}", at) for n, (_, up, at) in enumerate(BODY)]
    )
    other = opposites(skeleton_of(plain), 0)
    number = {name: f"bone{n}" for n, (name, _, _) in enumerate(BODY)}
    assert other[number["left_foot"]] == number["right_foot"]
    assert other[number["right_shoulder"]] == number["left_shoulder"]
    assert other[number["spine"]] == number["spine"]


# The whole figure


@pytest.mark.parametrize(
    ("turn", "words"), [((180, 0, 0), "upside down"), ((90, 0, 0), "lying"), ((0, 180, 0), "backwards")]
)
def test_a_figure_turned_over_is_found_and_turned_back(turn: tuple[float, float, float], words: str) -> None:
    scene = walk(fleshed(skeleton(BODY, rolled(2))))
    wrong = run("turn_clips", scene, turn=turn).scene
    assert not found(scene, "turned_root")
    [told] = found(wrong, "turned_root")
    assert words in told.title
    done = run(told.suggestion.step, wrong, **told.suggestion.params).scene
    assert not found(done, "turned_root")
    np.testing.assert_allclose(places(done, done.clips[0], MOMENTS), places(scene, scene.clips[0], MOMENTS), atol=1e-4)


def test_the_way_is_taken_out_and_given_to_a_joint_of_its_own() -> None:
    scene = walk(fleshed(skeleton(BODY)))
    spot = run("root_motion", scene).scene
    hips = places(spot, spot.clips[0], MOMENTS, "hips")[:, 0]
    assert np.ptp(hips[:, [0, 2]], axis=0).max() < 1e-6
    assert np.ptp(hips[:, 1]) > 0.01, "up and down stays"
    rooted = run("root_motion", scene, action="on a joint of its own").scene
    np.testing.assert_allclose(
        places(rooted, rooted.clips[0], MOMENTS), places(scene, scene.clips[0], MOMENTS), atol=1e-5
    )
    way = places(rooted, rooted.clips[0], MOMENTS, "root")[:, 0]
    np.testing.assert_allclose(way[:, 2], 0.5 * MOMENTS, atol=1e-3)
    np.testing.assert_allclose(way[:, :2], 0, atol=1e-6)


def test_sliding_feet_are_found_and_held() -> None:
    scene = fleshed(skeleton(BODY))
    sliding = walk(scene, speed=1.0, slide=0.8)
    [told] = found(sliding, "sliding_feet")
    done = run(told.suggestion.step, sliding, **told.suggestion.params)
    measured = {one.label: float(one.value) for one in done.measured}
    assert measured["fastest sliding now"] < 0.15 * measured["fastest sliding before"]
    made = done.scene
    np.testing.assert_allclose(
        places(made, made.clips[0], MOMENTS, "hips", "head", "left_hand"),
        places(sliding, sliding.clips[0], MOMENTS, "hips", "head", "left_hand"), atol=1e-6,
    )  # fmt: skip
    seen = treading(made, made.clips[0], MOMENTS)
    assert seen is not None
    # The foot looks where it looked.
    before, after = (
        worlds(one, one.clips[0], np.arange(60) / 30)[:, node_named(one, "left_foot"), :3, :3]
        for one in (sliding, made)
    )
    np.testing.assert_allclose(after, before, atol=1e-4)
    assert not found(made, "sliding_feet")
    with pytest.raises(UsageError, match="no feet"):
        run("pin_feet", dance(skeleton(BODY[:5])))


@given(seed=st.integers(0, 10_000), far=st.floats(0.2, 1.5))
@settings(max_examples=40)
def test_a_limb_reaches_every_place_that_it_can_reach(seed: int, far: float) -> None:
    scene = skeleton(BODY, rolled(seed % 7))
    rng = np.random.default_rng(seed)
    world = worlds(dance(scene, seed), dance(scene, seed).clips[0], np.linspace(0, 2, 5))
    limb = limb_to(scene, node_named(scene, "left_hand") or 0)
    assert limb is not None
    shoulder = world[:, limb.upper, :3, 3]
    ways = rng.normal(size=(5, 3))
    targets = shoulder + far * 0.4 * ways / np.linalg.norm(ways, axis=1, keepdims=True)
    turns = reached(scene, limb, world, targets)
    channels = [
        with_keys(
            ClipChannel(node, "rotation", np.zeros(0, np.float32), np.zeros(0, np.float32)), np.linspace(0, 2, 5), rows
        )
        for node, rows in turns.items()
    ]
    others = [c for c in dance(scene, seed).clips[0].channels if c.node not in turns or c.path != "rotation"]
    after = worlds(scene, Clip("x", (*others, *channels)), np.linspace(0, 2, 5))
    one, two = (
        np.linalg.norm(after[:, x, :3, 3] - after[:, y, :3, 3], axis=1)
        for x, y in ((limb.upper, limb.lower), (limb.lower, limb.end))
    )
    np.testing.assert_allclose(one, np.linalg.norm(world[:, limb.lower, :3, 3] - shoulder, axis=1), atol=1e-5)
    away = np.linalg.norm(after[:, limb.end, :3, 3] - targets, axis=1)
    short = np.maximum(np.linalg.norm(targets - shoulder, axis=1) - one - two, np.abs(one - two) - far * 0.4)
    assert (away <= np.maximum(short, 0) + 1e-3).all()
    np.testing.assert_allclose(after[:, limb.end, :3, :3], world[:, limb.end, :3, :3], atol=1e-4)


# What clips add


def test_a_clip_of_differences_is_found_and_put_on_a_pose() -> None:
    scene = dance(skeleton(BODY, rolled(6)), swing=12)
    base = scene.clips[0]
    rests = {n: np.array([node.rotation]) for n, node in enumerate(scene.nodes)}
    adding = []
    for channel in base.channels:
        rows = channel.values.astype(float)
        if channel.path == "rotation":
            back = rests[channel.node] * (-1, -1, -1, 1)
            rows = products(np.broadcast_to(back, rows.shape), rows)
        else:
            rows = rows - np.array(scene.nodes[channel.node].translation)
        adding.append(with_keys(channel, channel.times.astype(float), rows))
    both = replace(scene, clips=(base, Clip("breathing", tuple(adding))))
    [told] = found(both, "additive_clips")
    assert "breathing" in told.title
    done = run(told.suggestion.step, both, **told.suggestion.params).scene
    np.testing.assert_allclose(places(done, done.clips[1], MOMENTS), places(scene, base, MOMENTS), atol=1e-4)
    assert not found(done, "additive_clips")
    on = run("bake_additive", both, clips=["breathing"], base="dance", at=0.0).scene
    twice = at_times(next(c for c in on.clips[1].channels if c.node == 3), np.zeros(1))
    rest = rests[3]
    once = at_times(base.channels[3], np.zeros(1))
    gone = products(products(rest * (-1, -1, -1, 1), once), np.array([[0, 0, 0, 1.0]]))
    assert angles_between_deg(twice, products(once, gone))[0] < 0.01


# Poses


def test_a_pose_is_kept_by_name_and_frozen() -> None:
    scene = fleshed(skeleton(BODY, rolled(8)))
    hand = world_from_local(scene)[node_named(scene, "left_hand"), :3, 3]
    to = (hand + (0.1, 0.25, 0.15)).tolist()
    done = run(
        "pose",
        scene,
        name="salute",
        turns=[{"joint": "head", "turn": [0, 20, 0]}],
        pulls=[{"joint": "left_hand", "to": to}],
    )
    [kept] = done.scene.clips
    assert kept.name == "salute"
    assert {one.label: one.value for one in done.measured}["short of where it was pulled"] == 0
    np.testing.assert_allclose(places(done.scene, kept, np.zeros(1), "left_hand")[0, 0], to, atol=1e-4)
    frozen = run("freeze_pose", done.scene, clip="salute").scene
    assert not frozen.skins
    again = run("pose", done.scene, name="salute", clip="salute", turns=[{"joint": "head", "turn": [0, -20, 0]}]).scene
    assert len(again.clips) == 1
    head = node_named(scene, "head")
    was, now = (worlds(scene, clip, np.zeros(1))[0, head, :3, :3] for clip in (Clip("rest", ()), again.clips[0]))
    np.testing.assert_allclose(now, was, atol=1e-5)
    half = run("pose", scene, turns=[{"joint": "head", "turn": [0, 40, 0]}], share=50).scene.clips[0]
    whole = run("pose", scene, turns=[{"joint": "head", "turn": [0, 20, 0]}]).scene.clips[0]
    np.testing.assert_allclose(half.channels[0].values, whole.channels[0].values, atol=1e-6)
    with pytest.raises(UsageError, match="no joint called"):
        run("pose", scene, turns=[{"joint": "tentacle"}])


def test_pulling_the_hips_moves_all_of_it() -> None:
    scene = skeleton(BODY)
    done = run("pose", scene, pulls=[{"joint": "hips", "to": [1, 2, 3]}]).scene
    moved = places(done, done.clips[0], np.zeros(1))[0] - world_from_local(scene)[:, :3, 3]
    np.testing.assert_allclose(moved, np.tile([1, 1, 3], (len(BODY), 1)), atol=1e-5)


# Keys that jump, and loops within a clip


def test_keys_that_jump_away_and_back_are_found_and_dropped() -> None:
    scene = run("resample_clips", dance(skeleton(BODY, rolled(3))), rate=30).scene
    assert not found(scene, "jumping_keys")
    channels = list(scene.clips[0].channels)
    for number, key in ((2, 10), (2, 40), (7, 25)):
        values = channels[number].values.copy()
        away = turns_of_euler(np.array([[0.0, 120.0, 0.0]]))
        values[key] = products(away, values[key : key + 1].astype(float))[0]
        channels[number] = replace(channels[number], values=values)
    broken = replace(scene, clips=(replace(scene.clips[0], channels=tuple(channels)),))
    [told] = found(broken, "jumping_keys")
    assert "3 keys" in told.title
    done = run(told.suggestion.step, broken, **told.suggestion.params)
    assert done.measured[0].value == 3
    np.testing.assert_allclose(
        places(done.scene, done.scene.clips[0], MOMENTS), places(scene, scene.clips[0], MOMENTS), atol=0.05
    )
    assert not found(done.scene, "jumping_keys")


def test_what_goes_to_and_fro_at_each_key_is_no_jump() -> None:
    shaking = moved_by(
        skeleton(BODY), "shake",
        {("head", "rotation"): lambda t: turns_of_euler(np.array([[0.0, 40 * (-1) ** round(t * 30), 0.0]]))[0]},
    )  # fmt: skip
    assert not found(shaking, "jumping_keys")


def test_the_best_loop_within_a_clip_is_kept() -> None:
    """A swing of one second in a clip of 2.7, which sets out at another place than it ends."""
    scene = moved_by(
        skeleton(BODY), "swing",
        {
            ("head", "rotation"): lambda t: turns_of_euler(np.array([[30 * sin(2 * pi * t), 12 * cos(2 * pi * t), 0.0]]))[0],
            ("hips", "translation"): lambda t: (0, 1 + 0.1 * sin(2 * pi * t), 0),
        },
        seconds=2.7,
    )  # fmt: skip
    done = run("cut_to_loop", scene)
    [clip] = done.scene.clips
    assert end_of(clip) == pytest.approx(2.0, abs=1e-3)
    assert {one.label: float(one.value) for one in done.measured}["largest turn of the jump that is left"] < 0.1
    ends = places(done.scene, clip, np.array([0.0, end_of(clip)]))
    np.testing.assert_allclose(ends[0], ends[1], atol=1e-3)
    assert end_of(run("cut_to_loop", scene, least=90).scene.clips[0]) >= 0.9 * 2.7 - 1e-3


# Keys that are none


def test_bad_keys_cost_no_model_and_are_told() -> None:
    scene = dance(skeleton(BODY), keys=6)
    channels = list(scene.clips[0].channels)
    times = [channels[n].times.copy() for n in range(5)]
    values = [channels[n].values.copy() for n in range(5)]
    times[0][2] = times[0][1]
    values[1][3] = np.nan
    times[2] = times[2][::-1]
    values[2] = values[2][::-1]
    values[3][0] = 0
    broken = [replace(channels[n], times=times[n], values=values[n]) for n in range(4)]
    broken.append(replace(channels[4], values=values[4][:4]))
    wrong = replace(
        scene,
        clips=(
            Clip("dance", (*broken, *channels[5:], channels[5])),
            Clip("none", (replace(channels[0], values=channels[0].values * np.nan),)),
        ),
    )
    made = entered(wrong, "file.bin")
    assert problems(made) == []
    assert [clip.name for clip in made.clips] == ["dance"]
    first, told = " ".join(made.notes), [one.detail for one in find(made, Context()) if one.rule == "reading_gaps"]
    for words in ("without a value", "no numbers", "not in order", "more tracks", "nothing of it is left"):
        assert words in first
    assert len(told) == 2
    # What was in order is untouched, and what jumps keeps its jump.
    np.testing.assert_array_equal(made.clips[0].channels[2].values, channels[2].values)
    jump = made.clips[0].channels[0]
    assert len(jump.times) == 6
    assert float(jump.times[2]) == pytest.approx(float(times[0][1]), abs=1e-6)
    assert entered(scene, "file.bin") is scene
