"""Names from packs made safe to show and to write."""

from __future__ import annotations

import re
import unicodedata

_LONGEST_PART = 120
_LONGEST_PATH = 1000
_FORBIDDEN = re.compile(r'[<>:"|?*\x00-\x1f\x7f]')
_RESERVED = re.compile(r"^(con|prn|aux|nul|com[0-9]|lpt[0-9])(\..*)?$", re.IGNORECASE)
# Names that need no work: plain characters, no dot at either end of a part. Nearly every name of a large pack.
_WORD = r"[A-Za-z0-9_+~-]+(?:\.[A-Za-z0-9_+~-]+)*"
_PLAIN = re.compile(rf"{_WORD}(?:/{_WORD})*", re.ASCII)
_RESERVED_SOMEWHERE = re.compile(r"(?:^|/)(?:con|prn|aux|nul|com[0-9]|lpt[0-9])(?:[./]|$)", re.IGNORECASE)


def safe_path(name: str) -> str:
    """A relative path with forward slashes and nothing that climbs out: no `..`, drive, root or control characters."""
    if len(name) <= _LONGEST_PART and _PLAIN.fullmatch(name) and not _RESERVED_SOMEWHERE.search(name):
        return name
    parts = re.split(r"[\\/]+", unicodedata.normalize("NFC", name))
    kept = [safe_part(part) for part in parts if part not in {"", ".", ".."}]
    if kept and re.fullmatch(r"[A-Za-z]_", kept[0]) and re.match(r"^[A-Za-z]:", name):
        kept = kept[1:]
    return "/".join(kept)[:_LONGEST_PATH].rstrip("/") or "unnamed"


def safe_part(part: str) -> str:
    """One path component that every common file system takes."""
    text = _FORBIDDEN.sub("_", part).rstrip(" .") or "_"
    if _RESERVED.match(text):
        text = f"_{text}"
    if len(text) > _LONGEST_PART:
        stem, dot, ending = text.rpartition(".")
        text = f"{stem[: _LONGEST_PART - 12]}~{dot}{ending[:10]}" if dot else text[:_LONGEST_PART]
    return text


def unique_name(wanted: str, taken: set[str]) -> str:
    """`wanted`, or with a number before its ending when it is taken (letter case ignored); adds it to `taken`."""
    stem, dot, ending = wanted.rpartition(".")
    if not dot:
        stem, ending = wanted, ""
    name, number = wanted, 2
    while name.lower() in taken:
        name, number = f"{stem}-{number}{dot}{ending}", number + 1
    taken.add(name.lower())
    return name
