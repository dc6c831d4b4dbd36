"""The examples of the documentation work as printed."""

import re
import struct
from pathlib import Path

import numpy as np
import pytest
import yaml

from pruxel.core.base.context import Context
from pruxel.core.binary.load import load_layout
from pruxel.core.extract.model import read_model
from pruxel.core.scene.measure import measure
from pruxel.core.sources.packs import PackSource
from pruxel.core.sources.profile import Conventions, ProfileFile

ROOT = Path(__file__).resolve().parent.parent
SHELF, PEBBLE, PROFILE = re.findall(r"```yaml\n(.*?)```", (ROOT / "docs/layouts.md").read_text(), re.DOTALL)


@pytest.mark.parametrize("version", [1, 2])
def test_the_pack_example_lists_a_pack(tmp_path: Path, version: int) -> None:
    books = [("a/one.txt", b"first"), ("b/two.txt", b"second!")]
    base = struct.pack("<I", 0) if version == 2 else b""
    size = 8 + len(base) + sum(1 + len(t) + 8 for t, _ in books)
    table, body = b"", b""
    for title, text in books:
        table += bytes([len(title)]) + title.encode() + struct.pack("<II", size + len(body), len(text))
        body += text
    (tmp_path / "x.shelf").write_bytes(struct.pack("<4sHH", b"SHLF", version, 2) + base + table + body)
    source = PackSource(tmp_path / "x.shelf", load_layout(SHELF, "shelf.yaml"))
    assert [e.path for e in source.listing(Context()).entries] == [t for t, _ in books]
    assert [bytes(source.read(t, Context())) for t, _ in books] == [b for _, b in books]


def test_the_model_example_reads_a_model() -> None:
    points = np.array([[0, 0, 0], [100, 0, 0], [0, 0, 50]], "<f4")
    data = struct.pack("<4sHH", b"PBBL", 3, 3) + points.tobytes() + struct.pack("<3H", 0, 1, 2) + b"\x03one"
    scene, faults = read_model(memoryview(data), load_layout(PEBBLE, "p.yaml"), "p", Conventions(), Context())
    assert faults == []
    assert measure(scene).size == pytest.approx((1.0, 0.5, 0.0))
    assert scene.nodes[0].name == "one"


def test_the_profile_example_is_one() -> None:
    assert ProfileFile.model_validate(yaml.safe_load(PROFILE)).conventions.unit_m == 0.01


def test_every_key_of_the_language_is_documented() -> None:
    from pruxel.core.binary.schema import FieldSpec, Layout

    text = (ROOT / "docs/layouts.md").read_text()
    for name in [*FieldSpec.model_fields, *Layout.model_fields]:
        assert f"`{name}`" in text, name


def test_links_of_the_readme_lead_somewhere() -> None:
    for page in [ROOT / "README.md", ROOT / "CONTRIBUTING.md"]:
        for target in re.findall(r"\]\(([^)#]+)\)", page.read_text()):
            assert (ROOT / target).exists(), target
