"""The second part of the made-up game: update, languages, locked, nameless, old and split packs, tables, a level."""

from __future__ import annotations

import io
import struct
import zipfile
import zlib
from dataclasses import dataclass, replace

import numpy as np
from PIL import Image as Picture

from pruxel.core.base.arrays import AnyArray
from pruxel.sample.bake import Ready, paint, unwrap
from pruxel.sample.blocks import dds
from pruxel.sample.containers import (
    hashed_bytes,
    level_bytes,
    old_pack_bytes,
    vault_bytes,
    volume_bytes,
)
from pruxel.sample.files import material_bytes, model_bytes, pack_bytes
from pruxel.sample.folk import folk_table
from pruxel.sample.model import Model, Part, Surface
from pruxel.sample.models import courier, people, plants
from pruxel.sample.noise import fractal
from pruxel.sample.shapes import Shape, simplified

_NAMES = {
    "en": {
        "0107": "Postmaster Orla Finch",
        "0233": "Courier Anna Reed",
        "0412": "Toll clerk Bram Oake",
        "0521": "Lamplighter Odo Pell",
    },
    "de": {
        "0107": "Postmeisterin Orla Finch",
        "0233": "Kurierin Anna Reed",
        "0412": "Zöllner Bram Oake",
        "0521": "Laternenwärter Odo Pell",
    },
}
_KEEPER = {"en": "The Old Keeper", "de": "Der alte Wärter"}
_CREATURES = {
    "en": {"crab_toll": "Toll-keeping crab", "fish_lantern": "Lantern fish"},
    "de": {"crab_toll": "Zollkrabbe", "fish_lantern": "Laternenfisch"},
}
_VEHICLES = {"en": {"vx02": "Courier submersible"}, "de": {"vx02": "Kurier-Tauchboot"}}
_PLACES = {"en": {"market": "Reef market"}, "de": {"market": "Riffmarkt"}}

_GOODS = {
    "en": {"0021": "Street lamp", "0042": "Mail crate", "0077": "Anchor", "0113": "Letterbox", "0118": "Signpost"},
    "de": {"0021": "Laterne", "0042": "Postkiste", "0077": "Anker", "0113": "Briefkasten", "0118": "Wegweiser"},
}


@dataclass(frozen=True, eq=False)
class Baked:
    """A model unwrapped and painted: what its files are made from."""

    model: Model
    ready: list[Ready]
    base: AnyArray
    normal: AnyArray
    packed: AnyArray
    surface: Surface


def bake(model: Model, side: int, seed: int) -> Baked:
    """Unwrap and paint a model of one surface at a size of our choice."""
    surface = replace(model.surfaces[0], side=side)
    ready = unwrap(list(model.parts), side)
    images = paint(model, surface, ready, seed)
    return Baked(model, ready, images.base, images.normal, images.packed, surface)


def tinted(image: AnyArray, color: tuple[float, float, float], strength: float) -> AnyArray:
    """An image's light and dark in another colour."""
    light = image[..., :3].astype(float).mean(axis=2, keepdims=True) / 255
    mixed = image[..., :3] * (1 - strength) + strength * 255 * np.clip(light * 1.7 * np.asarray(color), 0, 1)
    return np.concatenate([np.clip(mixed, 0, 255).astype(np.uint8), image[..., 3:]], axis=2)


def coarse(model: Model, share: float) -> tuple[Part, ...]:
    """A model's parts with fewer triangles."""
    return tuple(
        replace(p, shape=simplified(Shape(p.shape.vertices, p.shape.faces), max(60, int(len(p.shape.faces) * share))))
        for p in model.parts
    )


def files_of(baked: Baked, path: str, surface: str, base: AnyArray, folder: str) -> dict[str, bytes]:
    """A model with a material and textures of its own names."""
    textures = {"base": f"tex/{folder}/{surface}_c.dds", "normal": f"tex/{folder}/{surface}_n.dds"}
    textures["packed"] = f"tex/{folder}/{surface}_p.dds"
    material = f"mat/{surface}.bmt"
    named = replace(baked.surface, name=surface)
    return {
        textures["base"]: dds(base, "BC1"),
        textures["normal"]: dds(baked.normal, "BC5"),
        textures["packed"]: dds(baked.packed, "BC1"),
        material: material_bytes(named, textures),
        f"{path}.brm": model_bytes(baked.model, baked.ready, dict.fromkeys([baked.surface.name], material)),
    }


def corals(seed: int) -> dict[str, bytes]:
    """Twelve corals of one shape: the pack that keeps no names."""
    baked = bake(plants.coral(seed), 256, seed)
    rng = np.random.default_rng(seed + 5)
    found: dict[str, bytes] = {}
    for number in range(1, 13):
        red, green, blue = (0.35 + 0.65 * rng.random(3)).tolist()
        size = float(rng.uniform(0.5, 1.6))
        ready = [replace(r, positions=r.positions * size) for r in baked.ready]
        one = replace(baked, ready=ready)
        name = f"coral_{number:02d}"
        found |= files_of(one, f"flora/{name}/{name}", name, tinted(baked.base, (red, green, blue), 0.75), "coral")
    return found


def known_names(paths: list[str], seed: int) -> bytes:
    """A list of about seven tenths of the paths, with a remark and an empty line as such lists have."""
    rng = np.random.default_rng(seed + 11)
    kept = [p for p in sorted(paths) if rng.random() < 0.7]
    return (
        "\n".join([*kept[:10], "", *[p.upper() for p in kept[10:14]], *kept[14:], "flora/never/there.brm"]) + "\n"
    ).encode()


def tables(language: str) -> dict[str, bytes]:
    """The game's tables of names, and its lines of text, in one language."""
    people_rows = {**_NAMES[language], "0999": _KEEPER[language]}
    role = {"0107": "post", "0233": "post", "0412": "bridge", "0521": "lamps", "0999": "lighthouse"}
    lines = ["code;name;role", *(f"{code};{name};{role[code]}" for code, name in people_rows.items())]
    out = {"tables/people.csv": "\n".join(lines) + "\n"}
    for group, rows in (("creatures", _CREATURES), ("vehicles", _VEHICLES), ("places", _PLACES)):
        out[f"tables/{group}.csv"] = "code;name\n" + "".join(f"{c};{n}\n" for c, n in rows[language].items())
    out["tables/townsfolk.csv"] = folk_table(language)
    # The profile does not know this one: a person may take its names.
    out["tables/goods.csv"] = "number;goods\n" + "".join(f"{c};{n}\n" for c, n in _GOODS[language].items())
    greeting = {"en": "Mail for the reef! Mind the crab.", "de": "Post fürs Riff! Vorsicht vor der Krabbe."}[language]
    out["text/lines.txt"] = f"greeting={greeting}\n"
    return {path: text.encode() for path, text in out.items()}


def market(seed: int) -> dict[str, bytes]:
    """The reef market: ground with its texture, and where everything stands."""
    steps, size = 96, 48.0
    axis = np.linspace(-size / 2, size / 2, steps)
    across, along = np.meshgrid(axis, axis, indexing="ij")
    flat = np.stack([across.ravel(), np.zeros(across.size), along.ravel()], axis=1)
    height = 0.9 * fractal(flat, seed, 5, 0.12) * np.clip(np.hypot(flat[:, 0], flat[:, 2]) / 14 - 0.3, 0, 1)
    points = flat + np.stack([np.zeros_like(height), height, np.zeros_like(height)], axis=1)
    corner = (np.arange(steps - 1)[:, None] * steps + np.arange(steps - 1)).ravel()
    faces = np.concatenate(
        [
            np.stack([corner, corner + 1, corner + steps], 1),
            np.stack([corner + 1, corner + steps + 1, corner + steps], 1),
        ]
    )
    sand = fractal(np.stack([points[:, 0], points[:, 1], points[:, 2]], 1), seed + 1, 5, 0.9)
    grid = np.clip(0.5 + 0.5 * sand.reshape(steps, steps), 0, 1)
    rows = np.linspace(0, steps - 1, 512).astype(int)
    tone = grid[np.ix_(rows, rows)].T[..., None]
    grain = np.random.default_rng(seed).uniform(-6, 6, (512, 512, 1))
    base = np.full((512, 512, 4), 255, np.uint8)
    base[..., :3] = np.clip(np.array([196, 172, 128]) * (0.72 + 0.34 * tone) + grain, 0, 255)
    normals = np.tile([0.0, 1.0, 0.0], (len(points), 1))
    uvs = np.stack([across.ravel(), along.ravel()], axis=1) / size + 0.5
    part = Part("ground", Shape(points, faces), "market_sand")
    model = Model("levels/market/ground", (part,), (Surface("market_sand", 512, lambda _: None),))  # type: ignore[arg-type,return-value]
    ready = [Ready(part, points, normals, uvs, faces)]
    models = [
        "levels/market/ground.brm",
        "levels/market/hs07_front.brm",
        "props/p0113/p0113.brm",
        "props/p0021/p0021.brm",
        "props/p0042/p0042.brm",
        "props/p0310/p0310_b.brm",
        "flora/f009/f009.brm",
        "levels/reef/rk_b02.brm",
    ]
    rng = np.random.default_rng(seed + 3)
    placed: list[tuple[int, float, float, float, float, float]] = [(0, 0, 0, 0, 0, 1)]
    for k in range(10):
        turn = k * 0.6283
        placed.append((1, 1150 * np.cos(turn), 1150 * np.sin(turn), 0, turn + 1.57, 1))
        placed.append((3, 760 * np.cos(turn + 0.3), 760 * np.sin(turn + 0.3), 0, turn, 1))
    placed.append((2, 80, -120, 0, 0.4, 1))
    for model_number, count in ((4, 18), (5, 9), (6, 30), (7, 14)):
        for _ in range(count):
            away, turn = rng.uniform(250, 2200), rng.uniform(0, 6.283)
            placed.append((model_number, away * np.cos(turn), away * np.sin(turn), 0, turn, rng.uniform(0.8, 1.2)))
    textures = {"base": "tex/market/sand_c.dds"}
    return {
        "levels/market/market.blv": level_bytes(models, placed),
        "levels/market/ground.brm": model_bytes(model, ready, {"market_sand": "mat/market_sand.bmt"}),
        "mat/market_sand.bmt": material_bytes(model.surfaces[0], textures),
        "tex/market/sand_c.dds": dds(base, "BC7"),
    }


def blob(seed: int) -> bytes:
    """Bytes of no format with pictures, a model and compressed data inside, as a memory dump has them."""
    rng = np.random.default_rng(seed + 17)
    side = 64
    down, across = np.mgrid[0:side, 0:side]
    image = np.stack([across * 4, down * 4, 255 - across * 2, np.full((side, side), 255)], axis=2).astype(np.uint8)
    rings = image.copy()
    rings[..., :3] = (127 + 127 * np.sin(np.hypot(across - 32, down - 32) / 3))[..., None].astype(np.uint8)
    pieces = []
    for form, pixels in (("PNG", image), ("JPEG", rings)):
        out = io.BytesIO()
        Picture.fromarray(pixels[..., :3]).save(out, form)
        pieces.append(out.getvalue())
    pieces.append(dds(rings, "BC1"))
    tga = struct.pack("<BBBHHBHHHHBB", 0, 0, 2, 0, 0, 0, 0, 0, side, side, 24, 0) + image[::-1, :, 2::-1].tobytes()
    pieces.append(tga + struct.pack("<II18s", 0, 0, b"TRUEVISION-XFILE.\0"))
    pieces.append(zlib.compress(b"The mail must go through. " * 40, 9))
    pieces.append(b"# a fin\nv 0 0 0\nv 1 0 0\nv 0 1 0\nvn 0 0 1\nf 1 2 3\n")
    out = io.BytesIO()
    with zipfile.ZipFile(out, "w") as archive:
        archive.writestr(zipfile.ZipInfo("letter.txt"), "Dear reef,")
    pieces.append(out.getvalue())
    wave = (np.sin(np.arange(400) / 6) * 9000).astype("<i2").tobytes()
    wave_head = struct.pack(
        "<4sI4s4sIHHIIHH4sI",
        b"RIFF",
        36 + len(wave),
        b"WAVE",
        b"fmt ",
        16,
        1,
        1,
        8000,
        16000,
        2,
        16,
        b"data",
        len(wave),
    )
    pieces.append(wave_head + wave)
    noise = [rng.integers(0, 256, int(n), np.uint8).tobytes() for n in rng.integers(900, 9000, len(pieces) + 1)]
    return b"".join(a + b"\0\n" + b for a, b in zip(noise, [*pieces, b""], strict=True))


def patch(lamp: dict[str, bytes], baked_crate: Baked, hat: dict[str, bytes]) -> dict[str, bytes]:
    """The update: a repaired text, festival colours for crates, notes, and a pack in the pack with the hat."""
    festive = tinted(baked_crate.base, (0.95, 0.35, 0.25), 0.8)
    return {
        **lamp,
        **files_of(baked_crate, "props/p0042/p0042_fest", "crate_fest", festive, "p0042"),
        "text/readme.txt": b"Brinepost, update 1. Deliver the mail, mind the crab, wear a hat.\n",
        "text/update_1.txt": b"Hats for everybody. The lamps of the market shine green. Crates are red this week.\n",
        "extra/hats.brp": pack_bytes(hat),
    }


def old_sign(packed: dict[str, bytes]) -> bytes:
    """A pack of the first edition with earlier versions of what the base game has."""
    sign = {path: data for path, data in packed.items() if "p0118" in path or "sign_wood" in path}
    sign["text/readme.txt"] = b"Brinepost, first edition. There is no crab yet.\n"
    return old_pack_bytes(sign)


def golden_anchor(seed: int) -> bytes:
    """The locked pack: an anchor that nobody was meant to find yet."""
    baked = bake(courier.anchor(seed), 256, seed)
    files = files_of(baked, "gear/g777/g777", "anchor_gold", tinted(baked.base, (1.0, 0.78, 0.25), 0.9), "g777")
    return vault_bytes(files | {"text/secret.txt": b"The anchor of the first postmaster.\n"})


def split_market(seed: int) -> list[bytes]:
    """The market in two further files."""
    return volume_bytes(market(seed), 2)


def nameless(seed: int) -> tuple[bytes, bytes]:
    """The pack of hashes, and the list of names that the community has so far."""
    found = corals(seed)
    return hashed_bytes(found), known_names(list(found), seed)


def hat_files(seed: int) -> dict[str, bytes]:
    """The hat for the holidays."""
    baked = bake(people.holiday_hat(seed), 256, seed)
    return files_of(baked, "gear/g900/g900", "hat_wool", baked.base, "g900")
