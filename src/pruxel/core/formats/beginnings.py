"""How open formats without a magic begin, so that a file with another ending, or none, is known by its content."""

from __future__ import annotations

import re

# The JSON of glTF must name its version (glTF 2.0, section 5.9); where in the document it stands is free.
_GLTF = re.compile(rb'^\s*\{(?=.*"(?:asset|accessors|bufferViews|meshes|scenes|nodes|buffers)"\s*:\s*[\[{])', re.DOTALL)
_GLTF_WORDS = re.compile(
    rb'"(?:version"\s*:\s*"2\.|componentType"\s*:\s*51|byteOffset"\s*:|bufferView"\s*:|generator"\s*:|children"\s*:\s*\[|(?:mesh|camera|skin)"\s*:\s*\d|nodes"\s*:\s*\[\s*\d)'
)
# Lines of Wavefront OBJ ("Object Files", Appendix B1): a place is v with three to seven numbers.
_OBJ_PLACE = re.compile(rb"^[ \t]*v(?:[ \t]+[-+]?(?:\d+\.?\d*|\.\d+)(?:[eE][-+]?\d+)?){3,7}[ \t]*\r?$")
_OBJ_LINE = re.compile(rb"^[ \t]*(?:#.*|(?:v|vn|vt|vp|f|l|p|o|g|s|mtllib|usemtl)(?:[ \t].*)?)?\r?$")
_LEAST_PLACES = 3


def begins_as_glb(head: bytes) -> bool:
    """Whether the binary container of glTF stands there."""
    return head.startswith(b"glTF")


def begins_as_gltf(head: bytes) -> bool:
    """Whether first bytes are glTF's JSON."""
    return bool(_GLTF.match(head.lstrip(b"\xef\xbb\xbf")) and _GLTF_WORDS.search(head))


def begins_as_obj(head: bytes) -> bool:
    """Whether first bytes are lines of OBJ, three of them places of vertices; the last line may be cut."""
    lines = head.lstrip(b"\xef\xbb\xbf").split(b"\n")[:-1]
    places = sum(bool(_OBJ_PLACE.match(line)) for line in lines)
    return places >= _LEAST_PLACES and all(_OBJ_LINE.match(line) for line in lines)
