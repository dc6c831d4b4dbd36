"""Clips cut, turned round, laid out anew, closed and frozen; and what is found wrong with them."""

from __future__ import annotations

from dataclasses import replace
from typing import Any

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from pruxel.core.base.context import Context
from pruxel.core.base.errors import UsageError
from pruxel.core.findings.registry import RULES, find
from pruxel.core.geometry.skinning import value_at
from pruxel.core.scene.checks import problems
from pruxel.core.scene.keys import all_at_times, at_times, between, end_of, resampled, retimed, rows_of, turned_round
from pruxel.core.scene.model import Clip, ClipChannel, Primitive, Scene
from pruxel.core.scene.motion_at import moments_of, moving, worlds
from pruxel.core.scene.pose import posed, standing
from pruxel.core.scene.walk import world_from_local
from pruxel.core.steps.registry import STEPS
from tests.scenes import animated, everything

PATHS = {"translation": 3, "rotation": 4, "scale": 3}


@st.composite
def channels(draw: st.DrawFn, how: str = "") -> ClipChannel:
    """Keys of one property: few or many, even or not, from 0 on or later."""
    path = draw(st.sampled_from(sorted(PATHS)))
    how = how or draw(st.sampled_from(["LINEAR", "STEP", "CUBICSPLINE"]))
    count = draw(st.integers(1, 9))
    steps = draw(st.lists(st.floats(0.0625, 1.5, width=32), min_size=count, max_size=count))
    times = np.cumsum(steps).astype(np.float32) - np.float32(draw(st.sampled_from([0.0, steps[0]])))
    rng = np.random.default_rng(draw(st.integers(0, 2**32 - 1)))
    values = rng.normal(size=(count * (3 if how == "CUBICSPLINE" else 1), PATHS[path]))
    if path == "rotation":
        # Neighbours on one side, as they are written; a spline through zero has no turn to tell.
        values = values * 0.2 + np.array([0.1, 0.2, 0.3, 0.9])
        if how == "CUBICSPLINE":
            values.reshape(count, 3, 4)[:, [0, 2]] -= np.array([0.1, 0.2, 0.3, 0.9])
        else:
            values /= np.linalg.norm(values, axis=1, keepdims=True)
    return ClipChannel(0, path, np.abs(times), values.astype(np.float32), interpolation=how)  # type: ignore[arg-type]


def asked(channel: ClipChannel, seconds: np.ndarray) -> np.ndarray:
    """The values one by one, as the plain way gives them."""
    turn = channel.path == "rotation"
    plain = [value_at(channel.times, channel.values, float(s), channel.interpolation, turn=turn) for s in seconds]
    found = np.array(plain)
    return found / np.linalg.norm(found, axis=1, keepdims=True) if turn else found


def alike(path: str, one: np.ndarray, other: np.ndarray, within: float = 2e-4) -> None:
    if not one.size:
        return
    if path == "rotation":
        other = other * np.sign((one * other).sum(axis=1, keepdims=True) + 1e-12)
    np.testing.assert_allclose(one, other, atol=within * max(1.0, float(np.abs(one).max())))


def inside(channel: ClipChannel, start: float, end: float, count: int = 23) -> np.ndarray:
    """Moments apart from those at which a value jumps."""
    moments = np.linspace(start, end, count)
    near = np.abs(moments[:, None] - channel.times.astype(float)).min(axis=1) < 1e-3
    return moments[~near] if channel.interpolation == "STEP" else moments


@given(channel=channels())
def test_values_at_many_times_are_those_one_by_one(channel: ClipChannel) -> None:
    seconds = np.linspace(-0.5, float(channel.times[-1]) + 0.5, 41)
    alike(channel.path, asked(channel, seconds), at_times(channel, seconds), 1e-5)


@given(data=st.lists(channels(), min_size=1, max_size=8), start=st.floats(-1, 2))
def test_many_channels_together_are_each_what_it_is_alone(data: list[ClipChannel], start: float) -> None:
    # Some have their keys at the same times, as those of one clip do.
    shared = [replace(c, times=data[0].times) if len(c.times) == len(data[0].times) else c for c in data]
    seconds = np.linspace(start, start + 3, 17)
    for channel, found in zip(shared, all_at_times(shared, seconds), strict=True):
        np.testing.assert_allclose(found, at_times(channel, seconds), atol=1e-9)


@given(channel=channels(), a=st.floats(0, 1), b=st.floats(0, 1))
def test_a_stretch_is_just_what_it_was(channel: ClipChannel, a: float, b: float) -> None:
    end = float(channel.times[-1])
    start, stop = sorted((a * end, b * end))
    cut = between(channel, start, stop)
    assert cut.times[0] == 0
    assert cut.times[-1] <= stop - start + 1e-5
    moments = inside(channel, start, stop)
    alike(channel.path, at_times(channel, moments), at_times(cut, moments - start))


@given(channel=channels())
def test_turned_round_twice_it_is_what_it_was(channel: ClipChannel) -> None:
    end = float(channel.times[-1])
    moments = inside(channel, float(channel.times[0]), end)
    back = turned_round(channel, end)
    alike(channel.path, at_times(channel, moments), at_times(back, end - moments))
    if channel.interpolation != "STEP":
        again = turned_round(back, end)
        np.testing.assert_allclose(again.times, channel.times, atol=1e-5)
        np.testing.assert_allclose(again.values, channel.values, atol=1e-6)


@given(channel=channels(), factor=st.floats(0.01, 100))
def test_at_another_speed_it_passes_the_same_places(channel: ClipChannel, factor: float) -> None:
    moments = inside(channel, 0, float(channel.times[-1]))
    alike(channel.path, at_times(channel, moments), at_times(retimed(channel, factor), moments * factor), 2e-3)


@given(channel=channels(), rate=st.floats(2, 120))
def test_laid_out_anew_it_agrees_at_its_keys(channel: ClipChannel, rate: float) -> None:
    end = float(channel.times[-1])
    made = resampled(channel, rate, end)
    assert made.times[0] == 0
    assert float(made.times[-1]) == pytest.approx(end, abs=1e-6)
    assert (np.diff(made.times) > 0).all()
    moments = inside(channel, 0, end)
    if channel.interpolation == "STEP":
        return
    alike(channel.path, at_times(channel, made.times.astype(float)), at_times(made, made.times.astype(float)))
    assert len(moments)


def test_where_nodes_stand_over_time_is_where_each_moment_has_them() -> None:
    for scene in (animated(), everything()):
        for clip in scene.clips:
            seconds = np.linspace(0, end_of(clip), 7)
            found = worlds(scene, clip, seconds)
            for at, second in zip(found, seconds, strict=True):
                np.testing.assert_allclose(at, world_from_local(posed(scene, clip, float(second))), atol=1e-6)


def swinging(turns_deg: list[float], rate: float = 30.0, places: list[float] | None = None) -> Scene:
    """A scene whose one clip turns a joint about z by so much at each frame."""
    scene = animated()
    half = np.radians(turns_deg) / 2
    times = (np.arange(len(half)) / rate).astype(np.float32)
    turns = np.stack([0 * half, 0 * half, np.sin(half), np.cos(half)], axis=1).astype(np.float32)
    made = [ClipChannel(2, "rotation", times, turns)]
    if places is not None:
        moves = np.array([[x, 0, 0] for x in places], np.float32)
        made.append(ClipChannel(2, "translation", times, moves))
    return replace(scene, clips=(Clip("swing", tuple(made)),))


def run(scene: Scene, name: str, **params: Any) -> Scene:
    step = STEPS.get(name)
    done = step.run(scene, step.parse(params), Context()).scene
    assert problems(done) == []
    return done


def told(scene: Scene, rule: str) -> list[Any]:
    return list(RULES.get(rule).look(scene, Context()))


WAVE = [30 * np.sin(2 * np.pi * n / 30) for n in range(31)]


def test_standing_still_is_measured_and_cut() -> None:
    scene = swinging([0.0] * 15 + WAVE + [0.0] * 20)
    (finding,) = told(scene, "still_ends")
    evidence = {e.label: e.value for e in finding.evidence}
    assert (evidence["first frame that moves"], evidence["last frame that moves"]) == (15, 45)
    mended = run(scene, finding.suggestion.step, **finding.suggestion.params)
    assert end_of(mended.clips[0]) == pytest.approx(1.0, abs=0.01)
    assert told(mended, "still_ends") == []


@pytest.mark.parametrize(
    "turns", [WAVE, [0.0] * 4 + WAVE, [10.0] * 60, [0.0, 1.0]], ids=["moves", "waits shortly", "a pose", "two keys"]
)
def test_what_moves_or_never_does_is_left(turns: list[float]) -> None:
    assert told(swinging(turns), "still_ends") == []


def test_a_loop_that_nearly_closes_is_found_and_closed() -> None:
    open_wave = [30 * np.sin(2 * np.pi * n / 60) + 5 * n / 60 for n in range(61)]
    scene = swinging(open_wave)
    (finding,) = told(scene, "open_loops")
    assert "5.0°" in finding.title
    mended = run(scene, finding.suggestion.step, **finding.suggestion.params)
    clip = mended.clips[0]
    assert moving(mended, clip, np.array([0.0, end_of(clip)])).apart(0, 1)[0] < 1e-3
    assert told(mended, "open_loops") == []
    # What is before the stretch is as it was.
    kept = np.linspace(0, end_of(clip) - 0.21, 50)
    alike("rotation", at_times(scene.clips[0].channels[0], kept), at_times(clip.channels[0], kept), 1e-5)


@pytest.mark.parametrize(
    "turns",
    [WAVE, [3.0 * n for n in range(31)], [0.0] * 31, [40 * np.sin(2 * np.pi * n / 30) + n for n in range(31)]],
    ids=["closed", "goes one way", "a pose", "ends elsewhere"],
)
def test_what_goes_round_or_is_not_meant_to_is_left(turns: list[float]) -> None:
    assert told(swinging(turns), "open_loops") == []


@pytest.mark.parametrize("kind", ["LINEAR", "STEP", "CUBICSPLINE"])
@settings(max_examples=25)
@given(data=st.data())
def test_whatever_is_closed_ends_where_it_begins(kind: str, data: st.DataObject) -> None:
    channel = data.draw(channels(kind))
    scene = replace(animated(), clips=(Clip("any", (replace(channel, node=2),)),))
    over = data.draw(st.sampled_from([0.0, 0.1, 5.0]))
    made = run(scene, "close_loop", over=over).clips[0].channels[0]
    ends = at_times(made, np.array([0.0, float(made.times[-1])]))
    alike(channel.path, ends[:1], ends[1:], 1e-5)


@pytest.mark.parametrize(("rate", "found"), [(1.0, True), (900.0, True), (30.0, False), (120.0, False), (12.0, False)])
def test_times_in_another_unit_are_told_and_mended(rate: float, found: bool) -> None:
    scene = swinging(WAVE, rate)
    findings = told(scene, "wrong_pace")
    assert bool(findings) == found
    if found:
        suggestion = findings[0].suggestion
        mended = run(scene, suggestion.step, **suggestion.params)
        assert end_of(mended.clips[0]) == pytest.approx(1.0, rel=1e-3)
        assert told(mended, "wrong_pace") == []


def test_a_frozen_moment_stands_as_the_clip_has_it() -> None:
    for scene in (animated(), everything()):
        clip = scene.clips[0]
        at = end_of(clip) * 0.37
        made = run(scene, "freeze_pose", clip=clip.name, at=at)
        assert (made.skins, made.clips) == ((), ())
        wanted = {n.name: mesh for _, n, mesh in standing(posed(scene, clip, at))}
        for _, node, mesh in standing(made):
            for p, q in zip(mesh.primitives, wanted[node.name].primitives, strict=True):
                np.testing.assert_allclose(p.positions, q.positions, atol=1e-5)
                assert p.joints is None
                assert (p.tangents is None) == (q.tangents is None)
        assert [f.rule for f in find(made, Context()) if f.rule in {"open_loops", "still_ends"}] == []


def test_a_row_of_moments_stands_side_by_side() -> None:
    scene = animated()
    made = run(scene, "freeze_pose", clip=scene.clips[0].name, at=0.0, count=4)
    one = len(list(standing(run(scene, "freeze_pose", clip=scene.clips[0].name))))
    lows = [min(p.positions[:, 0].min() for p in mesh.primitives) for _, _, mesh in standing(made)]
    assert len(lows) == 4 * one
    assert len(set(np.round(lows, 3))) > 1


def test_tangents_of_what_joints_hold_turn_along() -> None:
    """A tangent goes where the way along it goes: measured between two vertices of the same joints."""
    scene = animated()
    number, mesh = next((n, m) for n, m in enumerate(scene.meshes) if any(p.joints is not None for p in m.primitives))
    step = 1e-3
    along = np.tile(np.array([0.6, 0.0, 0.8, -1.0], np.float32), (len(mesh.primitives[0].positions), 1))
    p = replace(mesh.primitives[0], tangents=along, normals=None)
    moved = replace(p, positions=(p.positions + step * along[:, :3]).astype(np.float32))

    def stands(one: Primitive) -> Primitive:
        meshes = (*scene.meshes[:number], replace(mesh, primitives=(one,)), *scene.meshes[number + 1 :])
        at = posed(replace(scene, meshes=meshes), scene.clips[0], end_of(scene.clips[0]) * 0.4)
        return next(m.primitives[0] for _, n, m in standing(at) if n.skin is not None)

    here, there = stands(p), stands(moved)
    assert here.tangents is not None
    way = (there.positions.astype(float) - here.positions) / step
    way /= np.linalg.norm(way, axis=1, keepdims=True)
    np.testing.assert_allclose(here.tangents[:, :3], way, atol=2e-3)
    assert (here.tangents[:, 3] == -1).all()


def test_clips_are_met_by_name_by_pattern_or_all() -> None:
    scene = swinging(WAVE)
    several = replace(scene, clips=tuple(replace(scene.clips[0], name=n) for n in ("run", "run fast", "r*", "idle")))
    assert [c.name for c in run(several, "keep_clips", clips=["run*"]).clips] == ["run", "run fast"]
    # A name that is there is meant as it stands, whatever it would mean as a pattern.
    assert [c.name for c in run(several, "keep_clips", clips=["r*"]).clips] == ["r*"]
    assert [c.name for c in run(several, "rename_clips", pattern="{number}_{name}").clips][-1] == "4_idle"
    with pytest.raises(UsageError, match="no clip called 'jump'"):
        run(several, "reverse_clips", clips=["jump"])
    with pytest.raises(UsageError, match="nothing of “run” would be left"):
        run(several, "trim_clips", clips=["run"], start=2.0)
    with pytest.raises(UsageError, match="too long"):
        run(replace(scene, clips=(Clip("days", tuple(retimed(c, 80_000) for c in scene.clips[0].channels)),)),
            "resample_clips", rate=1000)  # fmt: skip


def test_moments_are_fewer_where_there_are_many_nodes() -> None:
    assert len(moments_of(animated(), 2.0, 30)) == 61
    assert len(moments_of(animated(), 1e6, 30)) <= 300
    crowd = replace(animated(), nodes=animated().nodes * 5000)
    assert len(moments_of(crowd, 20.0, 30)) < 40


def test_rows_are_rows_however_they_are_grouped() -> None:
    times = np.array([0, 1], np.float32)
    flat = ClipChannel(0, "weights", times, np.arange(6, dtype=np.float32))
    assert rows_of(flat).shape == (2, 3)
    assert at_times(flat, np.array([0.5])).tolist() == [[1.5, 2.5, 3.5]]
