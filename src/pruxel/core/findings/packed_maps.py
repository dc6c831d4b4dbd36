"""Packed maps that stand in a slot as they came, though it is known what their channels mean."""

from __future__ import annotations

from collections.abc import Iterator

from pruxel.core.base.context import Context
from pruxel.core.base.findings import Evidence, Finding, Severity, SuggestedStep
from pruxel.core.findings.registry import rule
from pruxel.core.scene.channels import SLOTS
from pruxel.core.scene.meanings import meanings_of
from pruxel.core.scene.model import Scene
from pruxel.core.scene.walk import wearers


@rule("packed_maps", "Packed maps that are not taken apart")
def packed_maps(scene: Scene, context: Context) -> Iterator[Finding]:
    """One finding for all maps of one scheme in one slot; the step has the scheme's channels."""
    worn: dict[tuple[str, tuple[tuple[str, str], ...]], list[int]] = {}
    for number, material in enumerate(scene.materials):
        context.check()
        for title, slot in SLOTS.items():
            ref = getattr(material, slot)
            said = {} if ref is None else meanings_of(scene.images[scene.textures[ref.texture].image])
            if any(meaning not in {"nothing", "as it is"} for meaning in said.values()):
                worn.setdefault((title, tuple(said.items())), []).append(number)
    for (title, said_), numbers in worn.items():
        names = list(dict.fromkeys(scene.materials[number].name for number in numbers))
        means = [(name, meaning) for name, meaning in said_ if meaning != "nothing"]
        one = scene.materials[numbers[0]]
        yield Finding(
            rule="packed_maps",
            severity=Severity.WARNING,
            title=f"Packed map of “{one.name}” is not taken apart"
            if len(names) == 1
            else f"Packed maps of {len(names)} materials are not taken apart",
            detail=f"It stands for {title}, but its channels mean something else.",
            parts=wearers(scene, numbers),
            evidence=(Evidence("stands for", title), *(Evidence(name, meaning) for name, meaning in means)),
            suggestion=SuggestedStep("take_apart", {"materials": names, "map": title, **dict(said_)}, "Take it apart"),
        )
