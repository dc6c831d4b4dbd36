"""A GLB taken apart and put together again by hand, for tests that change something in between."""

from __future__ import annotations

import json
import struct
from dataclasses import dataclass, field
from typing import Any

import numpy as np

from pruxel.core.base.context import Context
from pruxel.core.formats.gltf.options import GltfOptions
from pruxel.core.formats.gltf.write import write_glb
from pruxel.core.formats.registry import OutFile
from pruxel.core.scene.model import Scene

_TYPES = {5121: "u1", 5123: "<u2", 5125: "<u4", 5126: "<f4"}
_WIDTHS = {"SCALAR": 1, "VEC2": 2, "VEC3": 3, "VEC4": 4, "MAT4": 16}


@dataclass
class Glb:
    """The JSON document and the binary chunk; arrays are views into it that can be written."""

    document: dict[str, Any]
    binary: bytearray = field(default_factory=bytearray)

    @classmethod
    def of(cls, data: bytes) -> Glb:
        size = struct.unpack_from("<I", data, 12)[0]
        return cls(json.loads(data[20 : 20 + size]), bytearray(data[28 + size :]))

    def bytes(self) -> bytes:
        text = json.dumps(self.document).encode()
        text += b" " * (-len(text) % 4)
        body = bytes(self.binary)
        chunk = struct.pack("<II", len(body), 0x004E4942) + body if body else b""
        return struct.pack("<4sIIII", b"glTF", 2, 20 + len(text) + len(chunk), len(text), 0x4E4F534A) + text + chunk

    def array(self, accessor: int) -> np.ndarray:
        found = self.document["accessors"][accessor]
        view = self.document["bufferViews"][found["bufferView"]]
        width = _WIDTHS[found["type"]]
        at = view["byteOffset"] + found.get("byteOffset", 0)
        flat = np.frombuffer(self.binary, _TYPES[found["componentType"]], found["count"] * width, at)
        return flat.reshape(-1, width)

    def attribute(self, mesh: int, primitive: int, name: str) -> np.ndarray:
        return self.array(self.document["meshes"][mesh]["primitives"][primitive]["attributes"][name])

    def sampler(self, clip: int, channel: int, side: str) -> np.ndarray:
        animation = self.document["animations"][clip]
        return self.array(animation["samplers"][animation["channels"][channel]["sampler"]][side])

    def named(self, key: str, name: str) -> dict[str, Any]:
        return next(item for item in self.document[key] if item["name"] == name)

    def add_array(self, values: np.ndarray, shape: str) -> int:
        """Append an array as an accessor of its own."""
        data = np.ascontiguousarray(values)
        at = len(self.binary)
        self.binary += data.tobytes() + b"\0" * (-data.nbytes % 4)
        self.document["bufferViews"].append({"buffer": 0, "byteOffset": at, "byteLength": data.nbytes})
        self.document["buffers"][0]["byteLength"] = len(self.binary)
        codes = {"u1": 5121, "u2": 5123, "u4": 5125, "f4": 5126}
        self.document["accessors"].append(
            {
                "bufferView": len(self.document["bufferViews"]) - 1,
                "componentType": codes[data.dtype.str[1:]],
                "count": data.size // _WIDTHS[shape],
                "type": shape,
            }
        )
        return len(self.document["accessors"]) - 1


def files_of_glb(scene: Scene, stem: str = "thing") -> list[OutFile]:
    """What our writer makes of a scene that is fit for it, nothing chosen."""
    return write_glb(scene, stem, GltfOptions(), Context())
