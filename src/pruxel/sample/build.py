"""Put the made-up game on disk: one compressed pack, loose files, the profile and its layouts."""

from __future__ import annotations

import hashlib
import shutil
from collections.abc import Callable
from concurrent.futures import ProcessPoolExecutor
from dataclasses import dataclass
from importlib import resources
from pathlib import Path

from pruxel import __version__
from pruxel.core.base.arrays import AnyArray
from pruxel.sample.bake import Ready, paint, unwrap
from pruxel.sample.blocks import dds
from pruxel.sample.files import material_bytes, model_bytes, obj_bytes, pack_bytes, tga_bytes
from pruxel.sample.model import Model
from pruxel.sample.models import MODELS

README = """Brinepost, a made-up courier service on the sea floor.

reef.brp        the game's pack: models, materials, textures, each entry compressed by itself
props/, mat/, tex/   loose files that the game reads before the pack
dev/            what an artist left lying about: an OBJ with a TGA texture
brinepost.yaml  the profile: how the game counts and which layouts describe its files
layouts/        the layouts

All of it is generated; nothing here comes from anybody's game.
"""

_LICENCE = "You may do with these files whatever you like.\n"


@dataclass(frozen=True)
class Built:
    """The files of one model by path, and whether they lie loose."""

    files: dict[str, bytes]
    loose: bool


def _texture_paths(model: Model, surface: str) -> dict[str, str]:
    stem = f"tex/{model.path.split('/')[-1].split('_')[0]}/{surface}"
    return {"base": f"{stem}_c.dds", "normal": f"{stem}_n.dds", "packed": f"{stem}_p.dds", "glow": f"{stem}_e.dds"}


def build_model(number: int, seed: int) -> Built:
    """Generate one model with all its files."""
    model = MODELS[number](seed)
    files: dict[str, bytes] = {}
    ready: list[Ready] = []
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
            "normal": (images.normal, "BC5"),
            "packed": (images.packed, "BC7"),
            "glow": (images.glow, "BC1"),
        }
        used = {}
        for layer, (image, codec) in layers.items():
            if image is not None:
                files[paths[layer]] = dds(image, codec)
                used[layer] = paths[layer]
        material_paths[surface.name] = f"mat/{surface.name}.bmt"
        files[material_paths[surface.name]] = material_bytes(surface, used)
    files[f"{model.path}.brm"] = model_bytes(model, ready, material_paths)
    return Built(files, model.loose)


def write_sample(folder: Path, seed: int, report: Callable[[float, str], None]) -> None:
    """Write the game's files; the same seed gives the same bytes."""
    folder.mkdir(parents=True, exist_ok=True)
    packed: dict[str, bytes] = {}
    loose: dict[str, bytes] = {}
    with ProcessPoolExecutor(2) as pool:
        waiting = [pool.submit(build_model, number, seed) for number in range(len(MODELS))]
        for number, item in enumerate(waiting):
            built = item.result()
            report(number / len(waiting), next(iter(built.files)))
            (loose if built.loose else packed).update(built.files)
    packed["text/readme.txt"] = b"Brinepost. Deliver the mail, mind the crab.\n"
    _write(folder / "reef.brp", pack_bytes(packed))
    loose["README.txt"] = README.encode()
    loose["LICENCE.txt"] = _LICENCE.encode()
    for path, data in loose.items():
        _write(folder / path, data)
    for found in resources.files("pruxel.sample").joinpath("data").iterdir():
        for inner in [found] if found.is_file() else found.iterdir():
            target = folder / inner.name if found.is_file() else folder / found.name / inner.name
            _write(target, inner.read_bytes())
    report(1.0, "done")


def _write(path: Path, data: bytes) -> None:
    path.parent.mkdir(parents=True, exist_ok=True)
    path.write_bytes(data)


def sample_version(seed: int) -> str:
    """A word that changes when the generator's code or data or the seed changes."""
    state = hashlib.blake2b(f"{__version__}:{seed}".encode(), digest_size=8)
    root = Path(__file__).parent
    for path in sorted([*root.rglob("*.py"), *root.rglob("*.yaml")]):
        state.update(path.read_bytes())
    return state.hexdigest()


def cached_sample(cache: Path, seed: int, report: Callable[[float, str], None]) -> Path:
    """The sample in a cache folder, generated only when it is not there yet or outdated."""
    wanted = cache / f"{seed}-{sample_version(seed)}" / "Brinepost"
    if not wanted.is_dir():
        partial = wanted.with_name(".partial")
        shutil.rmtree(partial, ignore_errors=True)
        write_sample(partial, seed, report)
        partial.rename(wanted)
    return wanted
