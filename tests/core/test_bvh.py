"""BVH: skeletons written here by hand, moved as the format says by plain code, and what is wrong on purpose."""

from __future__ import annotations

import math

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from pruxel.core.base.context import Context
from pruxel.core.base.errors import ErrorCode, InputError
from pruxel.core.base.limits import Limits
from pruxel.core.formats.registry import FORMATS, ReadResult, format_for
from pruxel.core.pictures.bones import visible
from pruxel.core.pictures.render import View, render
from pruxel.core.scene.checks import problems
from pruxel.core.scene.motion_at import worlds

SMALL = """HIERARCHY
ROOT Hips
{
  OFFSET 0 1 0
  CHANNELS 6 Xposition Yposition Zposition Zrotation Xrotation Yrotation
  JOINT Upper Leg
  {
    OFFSET 0.5 0 0
    CHANNELS 3 Zrotation Xrotation Yrotation
    End Site
    {
      OFFSET 0 -1 0
    }
  }
}
MOTION
Frames: 2
Frame Time: 0.5
0 1 0 0 0 0 0 0 0
1 1 0 0 0 90 90 0 0
"""


def opened(text: str | bytes, nodes: int = 100_000, name: str = "walk.bvh") -> ReadResult:
    raw = text.encode() if isinstance(text, str) else text
    spec = FORMATS.get("bvh")
    assert format_for(name, raw[:512]) is spec
    assert spec.read is not None
    return spec.read(memoryview(raw), name, lambda _: None, Context(limits=Limits(nodes=nodes)))


def places(found: ReadResult, second: float) -> dict[str, np.ndarray]:
    scene = found.scene
    at = worlds(scene, scene.clips[0], np.array([second]))[0]
    return {node.name: at[n, :3, 3] for n, node in enumerate(scene.nodes)}


def test_turns_come_one_within_the_other_and_a_root_goes_its_way() -> None:
    found = opened(SMALL)
    assert problems(found.scene) == []
    assert found.faults == ()
    assert [node.name for node in found.scene.nodes] == ["Hips", "Upper Leg", "Upper Leg end"]
    np.testing.assert_allclose(places(found, 0.0)["Upper Leg end"], (0.5, 0, 0), atol=1e-6)
    # The hips turn a quarter to their left: what was at +X is at -Z. The leg, first up about Z, then along.
    at = places(found, 0.5)
    np.testing.assert_allclose(at["Upper Leg"], (1, 1, -0.5), atol=1e-6)
    np.testing.assert_allclose(at["Upper Leg end"], (1, 1, -1.5), atol=1e-6)


def test_a_skeleton_alone_can_be_looked_at() -> None:
    drawn = render(visible(opened(SMALL).scene), Context(), View(width=48, height=36))
    assert (drawn[..., 3] > 0).sum() > 40


def matrix_about(axis: str, degrees: float) -> np.ndarray:
    c, s = math.cos(math.radians(degrees)), math.sin(math.radians(degrees))
    a, b = {"x": (1, 2), "y": (2, 0), "z": (0, 1)}[axis]
    turn = np.eye(3)
    turn[a, a], turn[a, b], turn[b, a], turn[b, b] = c, -s, s, c
    return turn


@settings(max_examples=40)
@given(
    seed=st.integers(0, 2**32 - 1),
    order=st.permutations("xyz"),
    above=st.lists(st.integers(0, 6), min_size=1, max_size=7),
    laid=st.sampled_from(["\n", "\r\n", "\n\t\t"]),
)
def test_any_skeleton_moves_as_the_format_says(seed: int, order: list[str], above: list[int], laid: str) -> None:
    """Every joint where the product of the turns, in the order in which they are named, puts it."""
    rng = np.random.default_rng(seed)
    parents = [-1, *(min(up, n) for n, up in enumerate(above))]
    offsets = rng.uniform(-1, 1, (len(parents), 3)).round(4)
    angles = rng.uniform(-200, 200, (len(parents), 3)).round(3)
    way = rng.uniform(-3, 3, 3).round(4)
    offsets[0] = 0

    def told(n: int) -> list[str]:
        moves = "6 Xposition Yposition Zposition" if n == 0 else "3"
        turns = " ".join(f"{axis.upper()}rotation" for axis in order)
        head = [f"{'JOINT' if n else 'ROOT'} joint{n}", "{", "OFFSET " + " ".join(map(str, offsets[n]))]
        below = [line for child, up in enumerate(parents) if up == n for line in told(child)]
        return [*head, f"CHANNELS {moves} {turns}", *below, "}"]

    def depth_first(n: int) -> list[int]:
        return [n, *(k for child, up in enumerate(parents) if up == n for k in depth_first(child))]

    row = [*way, *(value for n in depth_first(0) for value in angles[n])]
    text = laid.join(["HIERARCHY", *told(0), "MOTION", "Frames: 1", "Frame Time: 0.02", " ".join(map(str, row))])
    found = places(opened(text), 0.0)
    turn: dict[int, np.ndarray] = {}
    place: dict[int, np.ndarray] = {}
    for n in depth_first(0):
        own = matrix_about(order[0], angles[n][0]) @ matrix_about(order[1], angles[n][1])
        own = own @ matrix_about(order[2], angles[n][2])
        up = parents[n]
        turn[n] = own if up < 0 else turn[up] @ own
        place[n] = way if up < 0 else place[up] + turn[up] @ offsets[n]
    metres = (
        1.0
        if np.ptp(np.array([offsets_at(parents, offsets, n) for n in range(len(parents))]), axis=0).max() <= 5
        else 0.01
    )
    for n, where in place.items():
        np.testing.assert_allclose(found[f"joint{n}"], metres * where, atol=2e-5)


def offsets_at(parents: list[int], offsets: np.ndarray, n: int) -> np.ndarray:
    return offsets[n] + (offsets_at(parents, offsets, parents[n]) if parents[n] >= 0 else 0)


def test_a_whole_way_and_one_from_the_rest_are_told_apart() -> None:
    onto = SMALL.replace("0 1 0 0 0 0 0 0 0", "0 0 0 0 0 0 0 0 0").replace("1 1 0 0 0 90", "1 0 0 0 0 90")
    np.testing.assert_allclose(places(opened(onto), 0.5)["Hips"], places(opened(SMALL), 0.5)["Hips"], atol=1e-6)


def test_what_was_measured_in_centimetres_is_told() -> None:
    large = SMALL.replace("OFFSET 0 -1 0", "OFFSET 0 -90 0")
    found = opened(large)
    assert "taken as centimetres" in found.scene.notes[0]
    np.testing.assert_allclose(places(found, 0.0)["Upper Leg end"], (0.005, -0.89, 0), atol=1e-6)


@pytest.mark.parametrize(
    ("text", "frames", "told"),
    [
        (SMALL.replace("1 1 0 0 0 90 90 0 0", "1 1 0 0"), 1, "4 numbers"),
        (SMALL.replace("90 90", "90 9o"), 1, "cannot be read"),
        (SMALL.replace("Frames: 2", "Frames: 900"), 2, "ends before"),
        (SMALL.partition("MOTION")[0], 0, ""),
        (SMALL.rpartition("  }")[0], 0, ""),
        (SMALL.replace("90 90", "nan 90"), 2, ""),
        (SMALL.replace("90 90", "1e308 90"), 2, ""),
        (SMALL.replace("\n1 1 0", "\n1 -1e300 0"), 2, ""),
    ],
)
def test_what_is_left_of_a_damaged_file_is_there(text: str, frames: int, told: str) -> None:
    found = opened(text)
    assert problems(found.scene) == []
    assert len(found.scene.nodes) == 3
    keys = max((len(c.times) for clip in found.scene.clips for c in clip.channels), default=0)
    assert keys == frames or not found.scene.clips
    assert told in " ".join(fault.line() for fault in found.faults)


@pytest.mark.parametrize(
    ("text", "why"),
    [
        ("HIERARCHY\nOFFSET", "belongs to no joint"),
        ("HIERARCHY\nthing", "no joint"),
        (SMALL.replace("OFFSET 0.5 0 0", "OFFSET 0.5 zero 0"), "three numbers"),
        (SMALL.replace("OFFSET 0.5 0 0", "OFFSET 1e300 0 0"), "rests nowhere"),
        (SMALL.replace("3 Zrotation", "4 Zrotation"), "a count and names"),
        (SMALL.replace("3 Zrotation", "3 Zscale"), "a count and names"),
        ("HIERARCHY\nROOT a\nOFFSET 0 0 0\n", "belongs to no joint"),
    ],
)
def test_what_cannot_be_used_is_refused_with_its_line(text: str, why: str) -> None:
    spec = FORMATS.get("bvh")
    assert spec.read is not None
    with pytest.raises(InputError) as caught:
        spec.read(memoryview(text.encode()), "walk.bvh", lambda _: None, Context())
    assert why in caught.value.fault.line()
    assert caught.value.fault.code is ErrorCode.MALFORMED


def test_many_joints_and_long_chains_end_in_a_refusal_or_are_read() -> None:
    deep = "HIERARCHY\n" + "".join(
        f"{'JOINT' if n else 'ROOT'} j{n}\n{{\nOFFSET 0 0.001 0\nCHANNELS 3 Zrotation Xrotation Yrotation\n"
        for n in range(10_000)
    )
    assert len(opened(deep).scene.nodes) == 10_000
    with pytest.raises(InputError) as caught:
        opened(deep, nodes=500)
    assert caught.value.fault.code is ErrorCode.BUDGET


@settings(max_examples=300)
@given(data=st.data())
def test_whatever_is_changed_is_read_or_refused(data: st.DataObject) -> None:
    text = bytearray(SMALL.encode())
    for _ in range(data.draw(st.integers(1, 6))):
        at = data.draw(st.integers(0, len(text) - 1))
        kind = data.draw(st.sampled_from(["byte", "cut", "word", "again"]))
        if kind == "byte":
            text[at] = data.draw(st.integers(0, 255))
        elif kind == "cut":
            del text[at : at + data.draw(st.integers(1, 40))]
        elif kind == "word":
            text[at:at] = data.draw(
                st.sampled_from([b" 1e308 ", b"}", b"{\n", b"\nEnd Site\n", b"-0", b"inf", b"\nMOTION\n"])
            )
        else:
            text[at:at] = text[at : at + 80]
        text = text or bytearray(b" ")
    spec = FORMATS.get("bvh")
    assert spec.read is not None
    try:
        found = spec.read(memoryview(bytes(text)), "walk.bvh", lambda _: None, Context())
    except InputError as error:
        assert error.fault.file == "walk.bvh"
        return
    assert problems(found.scene) == []
