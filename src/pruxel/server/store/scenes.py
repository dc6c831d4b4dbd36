"""The scene store: scenes as manifests over blobs, results of steps by key, and what the page reads of them.

Arrays and images are blobs named by their content; a manifest is a blob too. Rows of `stored_scenes` say under which
key a scene is kept and when it was used last, so that a sweep can bound the whole in bytes.
"""

from __future__ import annotations

import hashlib
from dataclasses import asdict, dataclass
from typing import Any

import orjson
from sqlalchemy import func, update

from pruxel.core.base.errors import InputError
from pruxel.core.base.findings import Evidence
from pruxel.core.images import png
from pruxel.core.scene.digest import digest
from pruxel.core.scene.images import EncodedImage, Image
from pruxel.core.scene.manifest import blobs_of, complete_manifest, manifest_of, scene_from
from pruxel.core.scene.model import Scene
from pruxel.core.scene.render_images import texels
from pruxel.core.steps.registry import StepResult
from pruxel.server.store.blobs import get_blob, has_blob, put_blob
from pruxel.server.store.database import session
from pruxel.server.store.rows import put_row
from pruxel.server.store.tables import StoredScene

# How a stored manifest of a scene begins.
SCENE_BEGINS = b'{"_":"Scene"'
# What every browser decodes by itself.
_SHOWN_AS_IS = frozenset({"image/png", "image/jpeg", "image/webp"})


def put_scene(scene: Scene) -> tuple[str, int]:
    """Store what is new of a scene; returns the name of its manifest and the bytes of all its blobs."""
    size = 0
    for name, data in blobs_of(scene):
        view = memoryview(data)
        size += view.nbytes
        if not has_blob(name):
            put_blob(name, view)
    text = orjson.dumps(manifest_of(scene))
    name = digest(scene)
    if not has_blob(name):
        put_blob(name, text)
    return name, size + len(text)


def get_scene(manifest: str) -> Scene:
    """A stored scene; raises FileNotFoundError when a sweep took it."""
    return scene_from(orjson.loads(get_blob(manifest)), get_blob)


@dataclass(frozen=True)
class StoredSteps:
    """Results of steps in the store, behind a worker's memory: of one worker and of a fleet alike."""

    def get(self, key: str) -> StepResult | None:
        """The stored result, or None when there is none, or a part of it was swept."""
        with session() as db:
            row = db.get(StoredScene, key)
            if row is None:
                return None
            db.execute(update(StoredScene).where(StoredScene.key == key).values(used=func.now()))
        try:
            scene = get_scene(row.manifest)
        except FileNotFoundError:
            return None
        words = row.words
        return StepResult(
            scene,
            str(words.get("summary", "")),
            tuple(Evidence(**item) for item in words.get("measured", ())),
            dict(words.get("renamed", {})),
            tuple(words.get("removed", ())),
        )

    def put(self, key: str, result: StepResult) -> None:
        """Store a result."""
        manifest, size = put_scene(result.scene)
        words: dict[str, Any] = {
            "summary": result.summary,
            "measured": [asdict(item) for item in result.measured],
            "renamed": dict(result.renamed),
            "removed": list(result.removed),
        }
        with session() as db:
            put_row(db, StoredScene, {"key": key, "manifest": manifest, "size": size, "words": words})


def shown_scene(scene: Scene) -> str:
    """Store a scene for the page; returns the name of its manifest, which lists a picture to show for every image.

    Images that a browser does not decode get a PNG beside them, named by the image with `png` behind.
    """
    put_scene(scene)
    manifest = complete_manifest(scene) | {"pictures": [_picture(image) for image in scene.images]}
    text = orjson.dumps(manifest)
    name = hashlib.blake2b(text, digest_size=16).hexdigest()
    if not has_blob(name):
        put_blob(name, text)
    return name


def _picture(image: Image) -> str | None:
    """The blob that a browser can show for an image; None when it does not decode."""
    content = image.content
    if isinstance(content, EncodedImage) and content.media_type in _SHOWN_AS_IS:
        return digest(content.data)
    name = f"{digest(image)}png"
    if not has_blob(name):
        try:
            put_blob(name, png.encode(texels(image)))
        except InputError:
            return None
    return name
