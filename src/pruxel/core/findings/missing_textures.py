"""Textures that materials name and nobody could supply."""

from __future__ import annotations

from collections.abc import Iterator

from pruxel.core.base.context import Context
from pruxel.core.base.findings import Evidence, Finding, Severity
from pruxel.core.findings.registry import rule
from pruxel.core.scene.model import Scene


@rule("missing_textures", "Textures that are missing", proposes=False)
def missing_textures(scene: Scene, context: Context) -> Iterator[Finding]:
    """One finding for each texture a material could not get, with the reason and near names."""
    context.check()
    for material in scene.materials:
        for gap in material.unresolved:
            yield Finding(
                rule="missing_textures",
                severity=Severity.WARNING,
                title=f"Texture “{gap.name.rsplit('/', 1)[-1]}” is not there",
                detail=f"Material “{material.name}” goes on without it. {gap.why}",
                evidence=(
                    Evidence("material", material.name),
                    Evidence("slot", gap.slot.replace("_", " ")),
                    Evidence("named", gap.name),
                ),
            )
