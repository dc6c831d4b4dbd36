"""Findings that a profile says are meant so."""

from __future__ import annotations

from dataclasses import replace
from pathlib import Path

import pytest

from pruxel.core.base.context import Context
from pruxel.core.base.errors import InputError
from pruxel.core.base.findings import Finding, Severity
from pruxel.core.batch.work import Wish, items_of, work_on
from pruxel.core.deliver.package import write_files
from pruxel.core.knowledge.known import Knowledge
from pruxel.core.knowledge.meant import MeantSo, meant_in
from pruxel.core.knowledge.profile import check_profile
from pruxel.core.knowledge.profile_files import build_profile
from pruxel.core.recipe.cache import MemoryCache
from pruxel.core.recipe.document import Rule, StepUse
from pruxel.core.recipe.inputs import Opener
from pruxel.core.recipe.run import run_recipe
from pruxel.core.scene.digest import digest
from tests.conftest import stack_of
from tests.contracts.test_steps import flawed
from tests.glb import files_of_glb


@pytest.mark.parametrize(
    ("known", "meant"),
    [
        ({}, True),
        ({"parts": ["claw_*"]}, True),
        ({"parts": ["claw_l"]}, False),
        ({"parts": ["claw_?", "arm"]}, True),
        ({"entries": ["flora/**"]}, False),
        ({"entries": ["flora/**", "actors/*/*"]}, True),
        ({"parts": ["claw_*"], "entries": ["flora/**"]}, False),
    ],
)
def test_which_findings_are_meant_so(known: dict[str, list[str]], *, meant: bool) -> None:
    said = [MeantSo(finding="inward_faces", **known)]  # type: ignore[arg-type]
    aside = meant_in(said, ["actors/crab/crab.glb"])
    found = Finding("inward_faces", Severity.NOTE, "", "", ("claw_l", "claw_r"))
    assert aside(found) is meant
    assert not aside(replace(found, rule="far_away"))
    assert aside(replace(found, parts=())) is (meant and "parts" not in known)


def test_batches_do_not_count_them(tmp_path: Path) -> None:
    write_files(tmp_path, files_of_glb(flawed(), "flawed"), Context())
    wish = Wish(steps=(StepUse(step="set_units", params={"factor": 1.5}),))

    def left(profile: str) -> tuple[str, ...]:
        known = Knowledge(build_profile(profile, "p", None).profile)
        opener = Opener(stack_of(tmp_path, known))
        [item] = items_of(["flawed.glb"])
        return work_on(opener, item, wish, Context()).findings

    every = left("profile: 1\nname: p\n")
    fewer = left("profile: 1\nname: p\nmeant_so: [{finding: useless_faces}]\n")
    assert len(fewer) == len(every) - 1
    assert set(fewer) < set(every)
    with pytest.raises(InputError, match="meant_so"):
        check_profile({"profile": 1, "name": "p", "meant_so": [{"parts": ["x"]}]}, "p.yaml")


def test_steps_that_follow_findings_leave_them() -> None:
    use = StepUse(step="remove_faces", rule=Rule(finding="useless_faces"))
    meant = meant_in([MeantSo(finding="useless_faces")], ["a.glb"])
    mended = run_recipe(flawed(), [use], MemoryCache(), Context())
    left = run_recipe(flawed(), [use], MemoryCache(), Context(), aside=meant)
    assert digest(mended.scene) != digest(flawed())
    assert digest(left.scene) == digest(flawed())
    assert "nothing to mend" in left.runs[0].summary
