"""`pruxel clips`: what clips there are, how long, at what rate, and what is wrong with them."""

from __future__ import annotations

from dataclasses import asdict
from typing import TYPE_CHECKING, Annotated, Any

import typer

from pruxel.cli.options import (
    JsonOption,
    KeyOption,
    LanguageOption,
    LayoutOption,
    NamesOption,
    ProfileOption,
    Sources,
    console,
    print_json,
)
from pruxel.cli.told import told
from pruxel.core.base.context import Context

if TYPE_CHECKING:
    from pruxel.core.scene.model import Scene

# The rules that look at clips.
_RULES = ("still_ends", "open_loops", "wrong_pace")


def clips(
    sources: Sources,
    *,
    entry: Annotated[
        list[str], typer.Option("--entry", help="path of a model with clips; several go together, clips onto a model")
    ],
    profile: ProfileOption = None,
    layout: LayoutOption = None,
    language: LanguageOption = None,
    key: KeyOption = None,
    names: NamesOption = None,
    as_json: JsonOption = False,
) -> None:
    """Tell the clips of entries: length, rate, keys, what they move, and what is wrong with them."""
    from pruxel.cli.workspace import Given, check_there, open_stack
    from pruxel.core.recipe.inputs import Opener

    context = Context()
    with told():
        stack = open_stack(sources, Given(profile, layout, language, key, names), context)
        check_there(stack, entry)
        found = _told(Opener(stack).scene(entry, context), context)
    if as_json:
        print_json(found)
        return
    for one in found["clips"]:
        rate = f"{one['rate']:g} keys a second" if one["rate"] else "keys at no even rate"
        words = f"{one['name']}: {one['seconds']:.2f} s, {rate}, {one['keys']:,} keys on {one['nodes']} nodes"
        console.print(words, highlight=False)
    if not found["clips"]:
        console.print("no clips")
    for finding in found["findings"]:
        console.print(f"[yellow]{finding['severity']}[/] {finding['title']}. {finding['detail']}")


def _told(scene: Scene, context: Context) -> dict[str, Any]:
    import pruxel.core.findings  # noqa: F401 - registers all rules
    from pruxel.core.findings.registry import RULES
    from pruxel.core.scene.motion import facts_of

    findings = [asdict(one) for rule in _RULES for one in RULES.get(rule).look(scene, context)]
    return {"clips": [asdict(facts_of(clip)) for clip in scene.clips], "findings": findings}
