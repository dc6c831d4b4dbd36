"""Put the made-up game on disk: its packs, loose files, the profile and its layouts."""

from __future__ import annotations

import gzip
from collections.abc import Callable
from concurrent.futures import Future, ProcessPoolExecutor
from dataclasses import dataclass, replace
from importlib import resources
from pathlib import Path
from typing import Any

import numpy as np

from pruxel.core.base.arrays import AnyArray
from pruxel.sample import folk, second
from pruxel.sample.bake import Ready, packed_later, paint, unwrap
from pruxel.sample.blocks import dds
from pruxel.sample.containers import VAULT_KEY, WRONG_KEY, bulk_bytes
from pruxel.sample.dredged import dredged_files
from pruxel.sample.engines import engine_files
from pruxel.sample.files import material_bytes, model_bytes, obj_bytes, pack_bytes, tga_bytes
from pruxel.sample.model import Model
from pruxel.sample.models import MODELS, town
from pruxel.sample.models.crab_moves import CRAB_MOVES
from pruxel.sample.models.moves import DIVER_MOVES
from pruxel.sample.portraits import Piece, portrait
from pruxel.sample.rig import clips_bytes, skeleton_bytes

README = f"""Brinepost, a made-up courier service on the sea floor.

reef.brp        the game's pack: models, materials, textures, each entry compressed by itself
update_1.brp    the update: replaces some entries, adds some, and holds a pack in itself (extra/hats.brp)
lang_en.brp, lang_de.brp   texts and tables of names, one language each
first.brp       a pack of the first edition, in an older version of the format
market.brl      the reef market, with its volumes market.b01 and market.b02
deep.brh        a pack that keeps only hashes of its paths; names/deep.txt.gz knows about seven tenths of them
vault.brv       an encrypted pack. Its key is called reef-2:
                  {VAULT_KEY.hex()}
                and this one does not open it:
                  {WRONG_KEY.hex()}
props/, mat/, tex/   loose files that the game reads before its packs
dev/            what an artist left lying about: an OBJ with a TGA texture, and a dump with pictures inside
old/            what three earlier engines left, each in its own ways; tide, swell and deep they were called
dredged/        what the dredger brought up: models of a format that the profile does not describe
brinepost.yaml  the profile: how the game counts and which layouts describe its files
layouts/        the layouts

All of it is generated; nothing here comes from anybody's game.
"""

_LICENCE = "You may do with these files whatever you like.\n"


@dataclass(frozen=True)
class Built:
    """The files of one model by path, whether they lie loose, and what portraits of people are put together from."""

    files: dict[str, bytes]
    loose: bool
    piece: Piece | None = None


def _texture_paths(model: Model, surface: str) -> dict[str, str]:
    stem = f"tex/{model.path.split('/')[-1].split('_')[0]}/{surface}"
    endings = {"base": "c", "normal": "n", "packed": "p", "glow": "e", "later": "q", "dye": "d"}
    return {layer: f"{stem}_{ending}.dds" for layer, ending in endings.items()}


def build_model(number: int, seed: int) -> Built:
    """Generate one model with all its files."""
    model = MODELS[number](seed)
    files: dict[str, bytes] = {}
    ready: list[Ready] = []
    piece: Piece | None = None
    material_paths: dict[str, str] = {}
    for surface in model.surfaces:
        mine = unwrap([p for p in model.parts if p.material == surface.name], surface.side)
        images = paint(model, surface, mine, seed)
        ready += mine
        if model.path.startswith("dev/"):
            stem = model.path.split("/")[-1]
            obj, mtl = obj_bytes(stem, mine)
            return Built(
                {f"dev/{stem}.obj": obj, f"dev/{stem}.mtl": mtl, f"dev/{stem}.tga": tga_bytes(images.base)}, loose=True
            )
        paths = _texture_paths(model, surface.name)
        layers: dict[str, tuple[AnyArray | None, str]] = {
            "base": (images.base, surface.codec),
            "normal": (_green_down(images.normal) if surface.green_down else images.normal, "BC5"),
            "packed": (None if surface.later else images.packed, "BC7"),
            "glow": (None if surface.later else images.glow, "BC1"),
            "later": (packed_later(images) if surface.later else None, "BC7"),
            "dye": (images.dye, "BC1"),
        }
        used = {}
        for layer, (image, codec) in layers.items():
            if image is not None:
                files[paths[layer]] = dds(image, codec)
                used[layer] = paths[layer]
        material_paths[surface.name] = f"mat/{surface.name}.bmt"
        files[material_paths[surface.name]] = material_bytes(surface, used)
        if model.path.startswith("actors/act_") or surface.name == "fish_skin":
            above = 0.3 if surface.name == "fish_skin" else 1.12
            files[f"ui/portraits/{model.path.split('/')[-1]}.dds"] = dds(
                portrait([Piece(mine, images.base)], above), "BC1"
            )
        if model.path.startswith("folk/"):
            piece = Piece(mine, images.base)
        if surface.name == "lamp" and images.glow is not None:
            files["~glow"] = dds(second.tinted(images.glow, (0.3, 1.0, 0.75), 1.0), "BC1")
    for one, its in folk.in_builds(model, ready):
        files[f"{one.path}.brm"] = model_bytes(one, its, material_paths)
        if one.rig is not None:
            files[f"{one.rig.path}.bsk"] = skeleton_bytes(one.rig)
            if one.rig.moves:
                files[f"{one.rig.path}.bcl"] = clips_bytes(one.rig)
    if model.path.startswith("actors/act_"):
        slim = second.bake(replace(model, parts=second.coarse(model, 0.15)), 128, seed)
        files |= second.files_of(slim, f"{model.path}_lo", f"{model.surfaces[0].name}_lo", slim.base, "act")
    return Built(files, model.loose, piece)


def _green_down(normal: AnyArray) -> AnyArray:
    return np.concatenate([normal[..., :1], 255 - normal[..., 1:2], normal[..., 2:]], axis=2)


def _festival_crate(seed: int) -> second.Baked:
    return second.bake(town.crate(seed), 256, seed)


def write_sample(
    folder: Path, seed: int, report: Callable[[float, str], None], version: int = 1, scale: int = 0
) -> None:
    """Write the game's files; the same seed and version give the same bytes. `scale` adds a pack of so many entries."""
    folder.mkdir(parents=True, exist_ok=True)
    packed: dict[str, bytes] = {}
    loose: dict[str, bytes] = {}
    with ProcessPoolExecutor(2) as pool:
        waiting = [pool.submit(build_model, number, seed) for number in range(len(MODELS))]
        others: dict[str, Future[Any]] = {
            "deep": pool.submit(second.nameless, seed),
            "vault": pool.submit(second.golden_anchor, seed),
            "market": pool.submit(second.split_market, seed),
            "hat": pool.submit(second.hat_files, seed),
            "crate": pool.submit(_festival_crate, seed),
        }
        pieces: dict[str, Piece] = {}
        for number, item in enumerate(waiting):
            built = item.result()
            report(number / len(waiting), next(iter(built.files)))
            (loose if built.loose else packed).update(built.files)
            if built.piece is not None:
                pieces[built.piece.ready[0].part.material] = built.piece
        made = {name: item.result() for name, item in others.items()}
        drawn = [pool.submit(folk.portrait_of, person, pieces) for person in folk.FOLK]
        for one in drawn:
            packed.update(one.result())
    lamp = (
        {"tex/p0021/lamp_e.dds": packed.pop("~glow")}
        if "~glow" in packed
        else {"tex/p0021/lamp_e.dds": loose.pop("~glow")}
    )
    packed[f"{DIVER_MOVES.path}.bcl"] = clips_bytes(DIVER_MOVES)
    packed[f"{CRAB_MOVES.path}.bcl"] = clips_bytes(CRAB_MOVES)
    packed["text/readme.txt"] = b"Brinepost. Deliver the mail, mind the crab.\n"
    packed["wip/p0042_test.brm"] = (packed | loose)["props/p0042/p0042.brm"].replace(
        b"mat/crate_wood.bmt", b"mat/crate_next.bmt"
    )
    # Somebody moved it and gave it another name; the material still asks for it by the old one.
    packed["tex/attic/wrench_old_c.dds"] = packed.pop("tex/wrench/wrench_c.dds")
    if version == 2:
        second_edition(packed)
    _write(folder / "version.txt", f"{version}.0\n".encode())
    _write(folder / "reef.brp", pack_bytes(packed))
    _write(folder / "update_1.brp", pack_bytes(second.patch(lamp, made["crate"], made["hat"])))
    for language in ("en", "de"):
        _write(folder / f"lang_{language}.brp", pack_bytes(second.tables(language)))
    _write(folder / "first.brp", second.old_sign(packed))
    for number, volume in enumerate(made["market"]):
        _write(folder / ("market.brl" if number == 0 else f"market.b{number:02d}"), volume)
    _write(folder / "vault.brv", made["vault"])
    deep, names = made["deep"]
    _write(folder / "deep.brh", deep)
    _write(folder / "names/deep.txt.gz", gzip.compress(names, mtime=0))
    _write(folder / "dev/dump.bin", second.blob(seed))
    if scale:
        _write(folder / "bulk.brp", bulk_bytes(scale))
    loose |= dredged_files() | engine_files()
    loose["README.txt"] = README.encode()
    loose["LICENCE.txt"] = _LICENCE.encode()
    for path, data in loose.items():
        _write(folder / path, data)
    for found in resources.files("pruxel.sample").joinpath("data").iterdir():
        for inner in [found] if found.is_file() else found.iterdir():
            target = folder / inner.name if found.is_file() else folder / found.name / inner.name
            _write(target, inner.read_bytes())
    report(1.0, "done")


def second_edition(packed: dict[str, bytes]) -> None:
    """What the second version of the game does otherwise: something changed, moved, gone and new."""
    packed[f"{DIVER_MOVES.path}.bcl"] = clips_bytes(DIVER_MOVES)
    packed["text/readme.txt"] = b"Brinepost, second edition. Deliver the mail, greet the crab.\n"
    packed["mat/crate_wood.bmt" if "mat/crate_wood.bmt" in packed else "mat/sign_wood.bmt"] += b"\0"
    packed["flora/reef/f031.brm"] = packed.pop("flora/f031/f031.brm")
    del packed["wip/p0042_test.brm"]
    packed["text/second_edition.txt"] = b"The lighthouse has moved in.\n"


def _write(path: Path, data: bytes) -> None:
    path.parent.mkdir(parents=True, exist_ok=True)
    path.write_bytes(data)
