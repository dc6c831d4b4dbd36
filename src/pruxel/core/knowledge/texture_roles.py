"""What textures are for, told from their names, and which one a name that leads nowhere may have meant."""

from __future__ import annotations

import re
from collections.abc import Mapping, Sequence
from dataclasses import dataclass, replace
from difflib import SequenceMatcher

from pruxel.core.images.likeness import Shown

# By what the slots of steps are called; the usual endings of names, in words and in letters.
_ENDINGS = {
    "base colour": "c d bc col color colour diff diffuse alb albedo base basecolor basecolour",
    "normals": "n nm nrm nor norm normal normals bump",
    "metal and roughness": "p mr rm orm arm rma mra metal metallic metalness rough roughness gloss",
    "occlusion": "o ao occ occlusion",
    "light": "e em emi emit emissive emission glow light illum",
}
_SLOT_OF = {ending: slot for slot, endings in _ENDINGS.items() for ending in endings.split()}
# What readers call the slots of materials.
_GAPS = {
    "base_color": "base colour",
    "normal": "normals",
    "metallic_roughness": "metal and roughness",
    "metallic": "metal and roughness",
    "roughness": "metal and roughness",
    "glossiness": "metal and roughness",
    "occlusion": "occlusion",
    "emissive": "light",
    "emission": "light",
}
_OF_NORMALS = ("normals", "flat normals", "two components of normals")
_MOST = 12
_LEAST = 0.35


@dataclass(frozen=True)
class Candidate:
    """A texture that may have been meant: how sure that is (0 to 1), and why."""

    path: str
    sureness: float
    why: str


def slot_of_gap(gap: str) -> str:
    """The slot of steps for what a material lacks, as readers or steps call it; base colour where that says nothing."""
    return gap if gap in _ENDINGS else _GAPS.get(gap.replace(" ", "_").removesuffix("_texture"), "base colour")


def role_by_name(path: str, roles: Mapping[str, str]) -> str | None:
    """What a texture is for by the end of its name: as the profile explains it, else as such names usually end."""
    stem = _stem(path)
    known = [suffix for suffix in roles if stem.endswith(suffix.lower())]
    if known:
        said = roles[max(known, key=len)].lower()
        return next((slot for slot in _ENDINGS if slot.split()[0].rstrip("s") in said), None) or _by_words(said)
    return _SLOT_OF.get(re.split(r"[^a-z]+", stem.rstrip("0123456789"))[-1])


def candidates(named: str, slot: str, textures: Sequence[tuple[str, int]], roles: Mapping[str, str]) -> list[Candidate]:
    """The textures (path, bytes) that a material may mean by a name that leads nowhere, the surest first.

    Names count most, then what they say they are for, then the folder; of equals, the largest comes first. What lies
    where the other should is among them whatever it is called.
    """
    wanted, folder = _bare(named), named.replace("\\", "/").rpartition("/")[0].lower()
    matcher = SequenceMatcher(autojunk=False)
    matcher.set_seq2(wanted)
    found: list[tuple[float, int, str, str]] = []
    for path, size in textures:
        matcher.set_seq1(_bare(path))
        beside = path.rpartition("/")[0].lower() == folder
        alike = matcher.real_quick_ratio() >= _LEAST and matcher.quick_ratio() >= _LEAST
        near = matcher.ratio() if alike else 0.0
        role = role_by_name(path, roles)
        if near < _LEAST and not (beside and folder and role in {None, slot}):
            continue
        sureness = 0.65 * near + (0.25 if role == slot else 0.0 if role is None else -0.25) + 0.1 * beside
        reasons = [f"its name is {near:.0%} alike"] if near >= _LEAST else ["its name is another"]
        reasons += [f"says that it is for {role}"] if role is not None else []
        reasons += ["lies where the other should"] if beside else []
        found.append((round(max(sureness, 0.0), 3), size, path, ", ".join(reasons)))
    found.sort(key=lambda one: (-one[0], -one[1], one[2]))
    return [Candidate(path, sureness, why) for sureness, _, path, why in found[:_MOST]]


def looked_at(found: Sequence[Candidate], slot: str, shows: Mapping[str, Shown]) -> list[Candidate]:
    """The candidates (of those in `shows`) by what their texels show, too: what cannot be for the slot comes last."""

    def weighed(one: Candidate) -> Candidate:
        shown = shows.get(one.path)
        if shown is None:
            return one
        fits = (shown in _OF_NORMALS) == (slot == "normals")
        more = 0.0 if slot != "normals" and fits else 0.15 if fits else -0.4
        sureness = round(min(max(one.sureness + more, 0.0), 1.0), 3)
        return replace(one, sureness=sureness, why=f"{one.why}, shows {shown}")

    return sorted(map(weighed, found), key=lambda one: -one.sureness)


def _by_words(said: str) -> str | None:
    return next((_SLOT_OF[word] for word in re.split(r"[^a-z]+", said) if word in _SLOT_OF and len(word) > 2), None)


def _stem(path: str) -> str:
    return path.replace("\\", "/").rsplit("/", 1)[-1].rsplit(".", 1)[0].lower()


def _bare(path: str) -> str:
    """The name without its folder, its ending and the word at its end that says what it is for."""
    words = re.split(r"[_\-. ]+", _stem(path))
    return "_".join(words[:-1] if len(words) > 1 and words[-1] in _SLOT_OF else words)
