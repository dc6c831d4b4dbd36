"""The table of `docs/formats.md`, made from what is registered: `python -m tools.format_reference` writes it."""

from __future__ import annotations

import re
from pathlib import Path

from pruxel.core.deliver.judges.registry import JUDGES
from pruxel.core.deliver.proof import prove  # noqa: F401 - registers all judges
from pruxel.core.formats import every  # noqa: F401 - registers all formats
from pruxel.core.formats.registry import CARRIABLE, FORMATS

PAGE = Path(__file__).resolve().parent.parent / "docs" / "formats.md"
_TABLE = re.compile(r"(<!-- table: formats -->\n\|[^\n]*\n\|[^\n]*\n).*?(<!-- end -->)", re.DOTALL)


def with_table(text: str) -> str:
    """The page with its table as it should be."""
    rows = []
    for one in FORMATS:
        carries = ", ".join(key for key in CARRIABLE if key in one.carries)
        judges = ", ".join(JUDGES.get(name).title for name in one.judges)
        endings = ", ".join(f"`.{ending}`" for ending in one.extensions)
        read, write = ("yes" if does is not None else "" for does in (one.read, one.write))
        rows.append(f"| {one.title} ({endings}) | {read} | {write} | {carries if one.write else ''} | {judges} |\n")
    return _TABLE.sub(lambda found: found[1] + "".join(rows) + found[2], text)


if __name__ == "__main__":
    PAGE.write_text(with_table(PAGE.read_text()))
