"""How divers and the lantern fish are jointed, and how they move."""

from __future__ import annotations

from math import cos, sin, tau

from pruxel.sample.models.swings import bend, sway
from pruxel.sample.rig import Joint, Motion, Move, Rig, Vec


def diver_rig(code: str, k: float) -> Rig:
    """Fifteen joints of a diver `k` times the usual size; all divers share their clips."""

    def at(x: float, y: float, z: float) -> Vec:
        return (x * k, y * k, z * k)

    joints = [
        Joint("hips", at(0, 0.8, 0), at(0, 0.95, 0)),
        Joint("chest", at(0, 1.0, 0), at(0, 1.3, 0), "hips"),
        Joint("head", at(0, 1.38, 0), at(0, 1.7, 0), "chest"),
    ]
    for name, s in (("left", 1), ("right", -1)):
        joints += [
            Joint(f"{name}_thigh", at(0.1 * s, 0.7, 0), at(0.13 * s, 0.44, 0.02), "hips"),
            Joint(f"{name}_shin", at(0.13 * s, 0.42, 0.02), at(0.14 * s, 0.12, 0), f"{name}_thigh"),
            Joint(f"{name}_foot", at(0.14 * s, 0.1, 0), at(0.14 * s, 0.05, 0.14), f"{name}_shin"),
            Joint(f"{name}_arm", at(0.22 * s, 1.22, 0), at(0.37 * s, 1.0, 0.03), "chest"),
            Joint(f"{name}_forearm", at(0.38 * s, 0.98, 0.03), at(0.4 * s, 0.76, 0.12), f"{name}_arm"),
            Joint(f"{name}_hand", at(0.4 * s, 0.74, 0.13), at(0.41 * s, 0.64, 0.16), f"{name}_forearm"),
        ]
    only = {"helmet": "head", "glass": "head", "rims": "head", "buckle": "hips", "bag": "hips"}
    return Rig(f"actors/act_{code}/act_{code}", tuple(joints), (), only)


def _breath(share: float) -> float:
    """A light that dims and comes back twice."""
    return 0.55 + 0.45 * cos(2 * tau * share)


def _steps(most: float) -> dict[str, Motion]:
    """Legs and arms by turns; a leg forward is a turn below zero about x."""
    turns: dict[str, Motion] = {"chest": sway(1, 0.3 * most), "head": sway(1, -0.2 * most)}
    for name, late in (("left", 0.0), ("right", 0.5)):
        turns[f"{name}_thigh"] = sway(0, -most, late)
        turns[f"{name}_shin"] = bend(0, 1.5 * most, late + 0.2)
        turns[f"{name}_arm"] = sway(0, 0.8 * most, late)
        turns[f"{name}_forearm"] = bend(0, -0.9 * most, late)
    return turns


DIVER_MOVES = Rig(
    "actors/moves/diver_moves",
    (Joint("hips", (0, 0.8, 0), (0, 0.95, 0)),),
    (
        Move("walk", 1.6, _steps(0.5), lambda share: (0.0, 0.025 * sin(2 * tau * share), 0.0)),
        Move(
            "greet",
            2.0,
            {
                "left_arm": lambda share: (0.0, 0.0, 2.0 * min(1.0, 5 * sin(share * tau / 2))),
                "left_forearm": lambda share: (0.0, 0.0, 0.45 * sin(3 * tau * share)),
                "head": bend(2, 0.15),
                "chest": sway(2, 0.06),
            },
        ),
        Move("wait", 4.0, {"chest": sway(0, 0.05), "head": sway(1, 0.5), "left_arm": sway(2, 0.08)}),
    ),
    {},
)

FISH_RIG = Rig(
    "actors/fish_lantern/fish_lantern",
    (
        Joint("middle", (0, 0.3, 0), (0, 0.3, 0.05)),
        Joint("front", (0, 0.3, 0.1), (0, 0.32, 0.34), "middle"),
        Joint("tail_1", (0, 0.3, -0.22), (0, 0.3, -0.42), "middle"),
        Joint("tail_2", (0, 0.3, -0.46), (0, 0.3, -0.72), "tail_1"),
        Joint("left_fin", (0.17, 0.25, -0.02), (0.36, 0.22, -0.04), "middle"),
        Joint("right_fin", (-0.17, 0.25, -0.02), (-0.36, 0.22, -0.04), "middle"),
        Joint("stalk_1", (0, 0.5, 0.16), (0, 0.7, 0.28), "front"),
        Joint("stalk_2", (0, 0.72, 0.3), (0, 0.69, 0.46), "stalk_1"),
        Joint("light", (0, 0.67, 0.52), (0, 0.66, 0.56), "stalk_2"),
    ),
    (
        Move(
            "swim",
            1.5,
            {
                "front": sway(1, -0.1),
                "tail_1": sway(1, 0.32),
                "tail_2": sway(1, 0.5, 0.16),
                "left_fin": sway(2, 0.4, 0.25),
                "right_fin": sway(2, -0.4, 0.25),
                "stalk_1": sway(0, 0.08, 0.4),
                "stalk_2": sway(0, 0.12, 0.5),
            },
            lambda share: (0.0, 0.02 * sin(tau * share), 0.0),
        ),
        Move(
            "startle",
            0.75,
            {
                "front": bend(0, -0.35),
                "tail_1": bend(1, 0.9),
                "tail_2": bend(1, 0.8, 0.05),
                "stalk_1": bend(0, -0.7),
                "stalk_2": bend(0, -0.5, 0.05),
            },
            lambda share: (0.0, 0.0, -0.12 * sin(tau * share / 2)),
        ),
        Move(
            "hover",
            3.0,
            {"tail_2": sway(1, 0.12), "left_fin": sway(2, 0.2), "right_fin": sway(2, -0.2)},
            glows={"fish_skin": lambda share: (_breath(share), _breath(share), _breath(share))},
        ),
    ),
    {"eyes": "front", "lure": "light"},
)
