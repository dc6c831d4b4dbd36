"""What is told of clips."""

from __future__ import annotations

import numpy as np
import pytest
from hypothesis import assume, given
from hypothesis import strategies as st

from pruxel.core.scene.measure import measure
from pruxel.core.scene.model import Clip, ClipChannel
from pruxel.core.scene.motion import facts_of, moments, rate_of_keys
from pruxel.core.scene.origin import Origin
from tests.scenes import animated, everything


@given(
    rate=st.floats(1, 240),
    kept=st.lists(st.booleans(), min_size=4, max_size=300),
    start=st.integers(0, 20),
)
def test_the_rate_is_found_where_keys_are_left_out(rate: float, kept: list[bool], start: int) -> None:
    # Two neighbours stay, so that the shortest step is one frame.
    frames = np.flatnonzero([True, True, *kept]) + start
    times = (frames / rate).astype(np.float32).astype(np.float64)
    assert rate_of_keys(times) == pytest.approx(rate, rel=1e-3, abs=0.01)


@given(st.lists(st.floats(0, 10, width=32), min_size=3, max_size=40))
def test_whatever_times_are_it_is_none_or_their_steps_are_whole_frames(found: list[float]) -> None:
    times = np.unique(np.array(found, np.float64))
    rate = rate_of_keys(times)
    steps = np.diff(times)
    assume(len(steps))
    if rate:
        counted = steps[steps > 1e-6] * rate
        assert np.abs(counted - np.round(counted)).max() < 0.05 * max(counted.max(), 1)


@pytest.mark.parametrize("times", [[], [0.0], [0.0, 0.1, 0.15, 0.32], [0.0, 1.0, 2.5]], ids=str)
def test_there_is_no_rate_where_keys_stand_at_none(times: list[float]) -> None:
    assert rate_of_keys(np.array(times)) == 0


def test_a_clip_is_told_as_it_is() -> None:
    times = np.array([0, 0.5, 1.5], np.float32)
    turns = np.tile(np.array([0, 0, 0, 1], np.float32), (3, 1))
    moves = np.zeros((1, 3), np.float32)
    clip = Clip(
        "wave",
        (ClipChannel(4, "rotation", times, turns), ClipChannel(4, "translation", times[:1], moves)),
        origin=Origin("moves/wave.bin"),
    )
    told = facts_of(clip)
    assert (told.seconds, told.rate, told.frames, told.keys, told.nodes) == (1.5, 2.0, 3, 4, 1)
    assert (told.moves, told.entry) == (("rotation", "translation"), "moves/wave.bin")
    empty = facts_of(Clip("nothing", ()))
    assert (empty.seconds, empty.rate, empty.keys) == (0.0, 0.0, 0)


def test_the_facts_of_a_scene_name_every_clip_at_its_length() -> None:
    for scene in (animated(), everything()):
        told = measure(scene).clips
        assert [one.name for one in told] == [clip.name for clip in scene.clips]
        for one, clip in zip(told, scene.clips, strict=True):
            assert one.seconds == pytest.approx(float(moments(clip.channels)[-1]))
