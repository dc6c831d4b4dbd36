"""What differs between two versions of an entry is said in its own terms, and is true."""

from __future__ import annotations

from dataclasses import dataclass, field

import numpy as np
from hypothesis import given
from hypothesis import strategies as st

from pruxel.core.base.context import Context
from pruxel.core.images import png
from pruxel.core.knowledge.kinds import Kind
from pruxel.core.knowledge.profile import Profile
from pruxel.core.recipe.differences import describe_difference
from pruxel.core.recipe.inputs import Opener
from pruxel.core.sources.references import Resolution
from tests.conftest import CRAB


@dataclass(frozen=True)
class Two:
    """Two entries of one kind, and nothing else."""

    kind: Kind
    contents: dict[str, bytes]
    profile: Profile = field(default_factory=Profile)

    def kind_of(self, path: str) -> Kind | None:
        return self.kind if path in self.contents else None

    def read(self, path: str, context: Context) -> memoryview:
        return memoryview(self.contents[path])

    def resolve(self, name: str, beside: str) -> Resolution:
        return Resolution(None)


def said(kind: Kind, mine: bytes, theirs: bytes) -> list[str]:
    return describe_difference(Opener(Two(kind, {"a": mine, "b": theirs})), "a", "b", Context())


@given(st.binary(max_size=60), st.binary(max_size=60))
def test_bytes_are_counted_as_a_plain_loop_counts_them(mine: bytes, theirs: bytes) -> None:
    found = said(Kind.UNKNOWN, mine, theirs)
    if mine == theirs:
        assert found == []
        return
    pairs = list(zip(mine, theirs, strict=False))
    first = next((n for n, (a, b) in enumerate(pairs) if a != b), len(pairs))
    assert found[0].startswith(f"bytes differ from {first} on")
    if len(mine) == len(theirs):
        assert found[0].endswith(f"{sum(a != b for a, b in pairs)} of {len(pairs)} are others")
    else:
        assert found[0].endswith(f"{len(mine)} instead of {len(theirs)}")


def test_textures_tell_their_size_and_how_many_texels_differ() -> None:
    plain = np.zeros((20, 10, 4), np.uint8)
    plain[..., 3] = 255
    spotted = plain.copy()
    spotted[:5, :, 0] = 40
    assert said(Kind.TEXTURE, png.encode(spotted), png.encode(plain))[0] == (
        "25.0% of the texels differ, by 40 of 255 at the most"
    )
    small = png.encode(np.ascontiguousarray(plain[:10]))
    assert said(Kind.TEXTURE, small, png.encode(plain))[0] == "texels 10 × 10 instead of 10 × 20"


def test_tables_and_texts_name_their_rows_and_lines() -> None:
    table = said(Kind.TABLE, b"id,name\n1,Ann\n2,Bo\n4,Di\n", b"id,name\n1,Ann\n2,Ben\n3,Cy\n")
    assert table[:3] == ["rows more: 4", "rows lacking: 3", "rows that say something else: 2"]
    text = said(Kind.TEXT, b"one\ntwo\nthree\n", b"one\n2\nthree\n")
    assert text[:3] == ["lines of its own: 1, lacking: 1", "lacks “2”", "has “two”"]
    dashes = said(Kind.TEXT, b"one\n++more\n", b"one\n--less\n")
    assert dashes[:3] == ["lines of its own: 1, lacking: 1", "lacks “--less”", "has “++more”"]


def test_what_cannot_be_opened_is_still_compared() -> None:
    found = said(Kind.TEXTURE, b"no image", b"nor this")
    assert found[0].startswith("not to be compared as what it is")
    assert found[1].startswith("bytes differ from 2 on")


def test_models_tell_triangles_parts_and_materials(opener: Opener) -> None:
    lower = "actors/act_0107/act_0107_lo.brm"
    found = describe_difference(opener, lower, "actors/act_0107/act_0107.brm", Context())
    mine, theirs = (opener.scene([path], Context()) for path in (lower, "actors/act_0107/act_0107.brm"))
    triangles = [sum(len(p.indices) for m in s.meshes for p in m.primitives) for s in (mine, theirs)]
    assert found[0] == f"triangles {triangles[0]:,} instead of {triangles[1]:,}"
    assert any(line.startswith("parts lacking") for line in describe_difference(opener, lower, CRAB, Context()))
