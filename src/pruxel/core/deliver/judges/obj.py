"""OBJ before three.js's loader."""

from __future__ import annotations

from pruxel.core.deliver.judges.registry import Exhibit, judge
from pruxel.core.deliver.proof.checks import Check
from pruxel.core.deliver.proof.expected_obj import compare_obj
from pruxel.core.deliver.proof.judge import read_back
from pruxel.core.formats.solids import SolidOptions, framed


@judge("obj in three.js", "three.js")
def read_by_three(one: Exhibit) -> list[Check]:
    """Everything that the loader makes of the file and its MTL."""
    scene = framed(one.scene, one.options) if isinstance(one.options, SolidOptions) else one.scene
    return compare_obj(scene, read_back(one.main, "obj"), one.main, one.tolerances)
