"""What of the files could not be read, told where the workpiece is."""

from __future__ import annotations

from collections.abc import Iterator

from pruxel.core.base.context import Context
from pruxel.core.base.findings import Evidence, Finding, Severity
from pruxel.core.findings.registry import rule
from pruxel.core.scene.model import Scene


@rule("reading_gaps", "Parts of a file that could not be read", proposes=False)
def reading_gaps(scene: Scene, context: Context) -> Iterator[Finding]:
    """One finding for each note left by the readers."""
    context.check()
    for note in scene.notes:
        yield Finding(
            rule="reading_gaps",
            severity=Severity.WARNING,
            title="Something in the file could not be read",
            detail=note,
            evidence=(Evidence("in", scene.name),),
        )
