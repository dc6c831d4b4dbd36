"""The models of Brinepost, one module for each family."""

from collections.abc import Callable

from pruxel.sample.model import Model
from pruxel.sample.models import courier, crab, faces, harbour, people, plants, rocks, town, wear

MODELS: tuple[Callable[[int], Model], ...] = (
    crab.toll_crab,
    courier.submersible,
    people.postmaster,
    people.courier_girl,
    people.toll_clerk,
    people.lamplighter,
    people.lantern_fish,
    courier.helmet,
    courier.sack,
    courier.sack_pile,
    courier.anchor,
    town.house_front,
    town.letterbox,
    town.lamp,
    town.crate,
    town.signpost,
    rocks.arch,
    rocks.boulder,
    plants.kelp,
    plants.coral,
    plants.starfish,
    harbour.jelly,
    harbour.rowboat,
    faces.freckled,
    faces.bearded,
    faces.fair,
    faces.bun,
    faces.crop,
    faces.braid,
    faces.waves,
    wear.dock,
    wear.post,
    wear.stall,
    wear.oilskin,
    wear.hands,
    wear.gloves,
    wear.wrench,
    wear.lantern,
)
