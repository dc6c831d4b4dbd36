"""Write the tables of `docs/layouts.md` anew from the language's schema and functions.

`python -m tools.layout_reference`; the tests compare, so that the page cannot drift from the code.
"""

from __future__ import annotations

import re
from pathlib import Path

from pydantic import BaseModel

from pruxel.core.binary.functions.registry import FUNCTIONS
from pruxel.core.extract.elements import WIDTHS
from pruxel.core.extract.placing import PlacingSpec
from pruxel.core.recipe.layout_words import MODELS

PAGE = Path(__file__).resolve().parent.parent / "docs/layouts.md"
_BLOCK = re.compile(r"(<!-- table: ([a-z ]+) -->\n).*?(<!-- end -->)", re.DOTALL)


def table_of(model: type[BaseModel]) -> str:
    """Keys and their meaning; raises `ValueError` for a key without words. Placing has a table of its own."""
    rows = []
    for name, field in model.model_fields.items():
        if model is not PlacingSpec and issubclass(model, PlacingSpec) and name in PlacingSpec.model_fields:
            continue
        if not field.description:
            raise ValueError(f"{model.__name__}.{name} has no words")
        words = " ".join(field.description.split())
        needed = "**" if field.is_required() else ""
        rows.append(f"| {needed}`{field.alias or name}`{needed} | {words} |")
    return "| key | meaning |\n| --- | --- |\n" + "\n".join(rows) + "\n"


def functions() -> str:
    """All functions by group."""
    groups: dict[str, list[str]] = {}
    for function in FUNCTIONS.values():
        about = " ".join(function.about.split())
        groups.setdefault(function.group, []).append(f"| `{function.usage}` | {about} |")
    return "\n".join(
        f"**{group}**\n\n| function | what it gives |\n| --- | --- |\n" + "\n".join(sorted(rows)) + "\n"
        for group, rows in groups.items()
    )


def with_reference(text: str) -> str:
    """The page with its tables as the code has them."""

    def made(block: re.Match[str]) -> str:
        name = block[2]
        if name == "functions":
            table = functions()
        elif name == "attributes":
            table = " ".join(f"`{semantic}`" for semantic in WIDTHS) + "\n"
        else:
            table = table_of(MODELS[name])
        return f"{block[1]}{table}{block[3]}"

    return _BLOCK.sub(made, text)


if __name__ == "__main__":
    PAGE.write_text(with_reference(PAGE.read_text()))
