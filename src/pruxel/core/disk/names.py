"""Names from strangers made safe to show, to store and to write. There is no other place that decides this."""

from __future__ import annotations

import re
import unicodedata

_LONGEST_PART = 120
_LONGEST_PATH = 1000
# What file systems and index pages take, with room for a number, an ending of ours and a mark.
_MOST_PART_BYTES = 200
_MOST_PATH_BYTES = 1600
# What turns text around, joins or hides it, or is no character at all: nobody would see that it is there.
_UNSEEN = "\x00-\x1f\x7f-\x9f\u061c\u200e\u200f\u2028-\u202e\u2060-\u2069\ufeff\ud800-\udfff"
_HIDDEN = re.compile(rf"[\\{_UNSEEN}]")
_FORBIDDEN = re.compile(rf'[<>:"|?*{_UNSEEN}]')
_RESERVED = re.compile(r"^(con|prn|aux|nul|com[0-9]|lpt[0-9])(\..*)?$", re.IGNORECASE)
# Names that need no work: plain characters, no dot at either end of a part. Nearly every name of a large pack.
_WORD = r"[A-Za-z0-9_+~-]+(?:\.[A-Za-z0-9_+~-]+)*"
_PLAIN = re.compile(rf"{_WORD}(?:/{_WORD})*", re.ASCII)
_RESERVED_SOMEWHERE = re.compile(r"(?:^|/)(?:con|prn|aux|nul|com[0-9]|lpt[0-9])(?:[./]|$)", re.IGNORECASE)


def safe_path(name: str) -> str:
    """A relative path with forward slashes and nothing that climbs out: no `..`, drive, root or control characters."""
    if len(name) <= _LONGEST_PART and _PLAIN.fullmatch(name) and not _RESERVED_SOMEWHERE.search(name):
        return name
    parts = re.split(r"[\\/]+", unicodedata.normalize("NFC", name[: 4 * _LONGEST_PATH]))
    kept = [safe_part(part) for part in parts if part not in {"", ".", ".."}]
    if kept and re.fullmatch(r"[A-Za-z]_", kept[0]) and re.match(r"^[A-Za-z]:", name):
        kept = kept[1:]
    while len(kept) > 1 and not _fits("/".join(kept)):
        kept.pop(len(kept) // 2)  # the beginning and the name itself tell most
    return "/".join(kept) or "unnamed"


def safe_part(part: str) -> str:
    """One path component that every common file system takes."""
    text = _FORBIDDEN.sub("_", part.replace("/", "_").replace("\\", "_")).rstrip(" .") or "_"
    if _RESERVED.match(text):
        text = f"_{text}"
    if len(text) > _LONGEST_PART or len(text.encode()) > _MOST_PART_BYTES:
        stem, dot, ending = text.rpartition(".")
        ending = ending[:10] if dot and stem else ""
        room = _MOST_PART_BYTES - len(f"~.{ending}".encode())
        stem = _cut((stem if ending else text)[: _LONGEST_PART - 12], room)
        text = f"{stem}~.{ending}" if ending else stem
    return text.rstrip(" .") or "_"


def _cut(text: str, most: int) -> str:
    return text.encode()[:most].decode("utf-8", "ignore")


def _fits(path: str) -> bool:
    return len(path) <= _LONGEST_PATH and len(path.encode()) <= _MOST_PATH_BYTES


def is_sound(path: str) -> bool:
    """Whether a path can be shown, stored and told as it is: relative, no part missing or climbing, all to be seen."""
    if not path or (not path.isprintable() and _HIDDEN.search(path)) or "\\" in path:
        return False
    return not (path[0] == "/" or "//" in path or path[-1] == "/") and not _climbs(path) and _fits(path)


def _climbs(path: str) -> bool:
    dotted = path[0] == "." or "/." in path
    return dotted and any(part in {".", ".."} for part in path.split("/"))


def shown_part(part: str) -> str:
    """A file's own name as it is shown: what nobody would see in it is made visible as an underscore."""
    return _HIDDEN.sub("_", part)


def unique_name(wanted: str, taken: set[str]) -> str:
    """`wanted`, or with a number before its ending when it is taken (letter case ignored); adds it to `taken`."""
    name = free_name(wanted, taken)
    taken.add(name.lower())
    return name


def free_name(wanted: str, *taken: set[str]) -> str:
    """`wanted`, or with the next number before its ending that none of `taken` (in lower case) has.

    Numbers are sought by doubling, so that a hundred thousand of one name cost no more than of many.
    """
    stem, dot, ending = wanted.rpartition(".")
    if not dot or "/" in ending:
        stem, dot, ending = wanted, "", ""

    def numbered(number: int) -> str:
        return f"{stem}-{number}{dot}{ending}" if number > 1 else wanted

    def is_taken(number: int) -> bool:
        return any(numbered(number).lower() in names for names in taken)

    if not is_taken(1):
        return wanted
    low, high = 1, 2
    while is_taken(high):
        low, high = high, high * 2
    while high - low > 1:
        middle = (low + high) // 2
        low, high = (middle, high) if is_taken(middle) else (low, middle)
    return numbered(high)


class Places:
    """Where things go below one folder: no two in one place in any letter case, no file where a folder is."""

    def __init__(self) -> None:
        self._files: set[str] = set()
        self._folders: set[str] = set()
        self._found: dict[str, str] = {}

    def take(self, path: str) -> str:
        """A place for a safe path: itself, or with numbers where something stands in the way."""
        *above, name = path.split("/")
        folder = ""
        for part in above:
            wanted = f"{folder}/{part}" if folder else part
            known = self._found.get(wanted.lower())
            if known is None:
                known = free_name(wanted, self._files)
                self._found[wanted.lower()] = known
                self._folders.add(known.lower())
            folder = known
        place = free_name(f"{folder}/{name}" if folder else name, self._files, self._folders)
        self._files.add(place.lower())
        return place
