"""What the names of joints mean: which bone of a body, on which side, the how manieth of its kind."""

from __future__ import annotations

import re
import unicodedata
from collections.abc import Sequence
from dataclasses import dataclass

_PIECES = re.compile(r"[A-Z]+(?![a-z])|[A-Z]?[a-z]+|\d+")
_LEFT = frozenset(
    ["l", "lf", "lt", "left", "links", "linke", "linker", "gauche", "izquierda", "izquierdo", "sinistra", "hidari"]
)
_RIGHT = frozenset(
    ["r", "rt", "rg", "right", "rechts", "rechte", "rechter", "droite", "droit", "derecha", "derecho", "destra", "migi"]
)
# Common words of several languages; what they are called there.
_WORDS = {
    "hips": "hips hip pelvis becken huefte hanche hanches bassin cadera caderas bacino koshi",
    "spine": (
        "spine waist abdomen ab belly torso lowerback midback upperback wirbel ruecken bauch dos colonne columna "
        "espalda schiena"
    ),
    "chest": "chest breast ribs ribcage thorax brust poitrine pecho petto mune",
    "neck": "neck hals nacken cou cuello collo kubi",
    "head": "head skull kopf tete cabeza testa atama",
    "jaw": "jaw chin kiefer machoire mandibula ago",
    "eye": "eye auge oeil ojo occhio",
    "shoulder": (
        "shoulder clavicle clav collar collarbone schulter schluesselbein epaule clavicule hombro clavicula spalla kata"
    ),
    "upper arm": "arm upperarm uparm armup oberarm bras brazo braccio ude",
    "forearm": (
        "forearm lowerarm loarm armlow elbow unterarm ellbogen avantbras coude antebrazo codo avambraccio gomito hiji"
    ),
    "hand": "hand wrist palm handgelenk main poignet mano muneca polso te",
    "thigh": "thigh upleg upperleg legup femur oberschenkel cuisse muslo coscia momo",
    "shin": (
        "shin calf lowerleg loleg leglow knee tibia unterschenkel knie jambe genou pantorrilla rodilla ginocchio hiza"
    ),
    "leg": "leg bein pierna gamba",
    "foot": "foot ankle fuss knoechel pied cheville pie tobillo piede caviglia ashi",
    "toe": "toe toes ball zeh zehe zehen orteil orteils dedos dita",
    "thumb": "thumb daumen pouce pulgar pollice oya",
    "index": "index zeigefinger indice indexfinger pointer",
    "middle": "middle mid mittelfinger majeur medio middlefinger",
    "ring": "ring ringfinger annulaire anular anulare",
    "little": "little pinky pinkie kleinerfinger auriculaire menique mignolo",
    "tail": "tail schwanz queue cola coda shippo",
    "wing": "wing fluegel aile ala tsubasa",
    "root": "root origin world motion wurzel racine raiz",
    "twist": "twist roll drehung",
}
_MEANS = {word: kind for kind, words in _WORDS.items() for word in words.split()}
# What only marks where a limb ends; the word before it says of which, and no bone begins there.
_ENDS = frozenset({"end", "nub", "tip", "site", "effector"})
_UPPER = frozenset({"up", "upper", "ober", "haut"})
_LOWER = frozenset({"low", "lower", "lo", "fore", "unter", "bas"})
# Where a name holds several words, what stands first here says more.
_RANK = (
    "twist", "thumb", "index", "middle", "ring", "little", "toe", "jaw", "eye", "forearm", "shin", "thigh",
    "shoulder", "upper arm", "foot", "neck", "chest", "spine", "hips", "wing", "tail", "hand", "leg", "head",
    "root",
)  # fmt: skip


@dataclass(frozen=True)
class Meaning:
    """What a joint's name means.

    `kind` is "" where nothing is known, `side` "left", "right" or "", `number` 0 for none.
    """

    kind: str
    side: str
    number: int

    def words(self) -> str:
        """As a person says it."""
        return " ".join(str(part) for part in (self.side, self.kind, self.number) if part)


def plain(name: str) -> str:
    """Lower case, letters and digits alone, without accents."""
    return re.sub(r"[^a-z0-9]", "", _latin(name).lower())


def _latin(name: str) -> str:
    for letter, written in (("ü", "ue"), ("ö", "oe"), ("ä", "ae"), ("ß", "ss")):
        name = name.replace(letter, written)
    return unicodedata.normalize("NFKD", name).encode("ascii", "ignore").decode()


def without_prefix(names: Sequence[str]) -> list[str]:
    """Names without what all of them begin with, up to where a word ends."""
    if len(names) < 3:
        return list(names)
    first, last = min(names), max(names)
    common = first[: next((n for n, (a, b) in enumerate(zip(first, last, strict=False)) if a != b), len(first))]
    # A word is not cut in two: "left_arm" and "left_leg" have "left_" in common, "hips" and "hand" nothing.
    end = max((common.rfind(mark) + 1 for mark in " _:.|-"), default=0)
    return [name[end:] or name for name in names]


def meanings(names: Sequence[str]) -> list[Meaning]:
    """What each name of a skeleton means."""
    return [_meaning(name) for name in without_prefix(names)]


def _meaning(name: str) -> Meaning:
    side, pieces = _apart(name)
    number = next((int(piece) for piece in reversed(pieces) if piece.isdigit() and len(piece) < 4), 0)
    return Meaning(_kind([piece for piece in pieces if not piece.isdigit()]), side, number)


def sided(name: str) -> tuple[str, str]:
    """The side that a name tells, "" for none, and the name without it, in lower case."""
    side, pieces = _apart(name)
    return side, " ".join(pieces)


def _apart(name: str) -> tuple[str, list[str]]:
    """The side that a name tells, and its other words and numbers, in lower case."""
    pieces = [piece.lower() for piece in _PIECES.findall(_latin(name))]
    side = "left" if _LEFT & set(pieces) else "right" if _RIGHT & set(pieces) else ""
    if side:
        return side, [piece for piece in pieces if piece not in _LEFT | _RIGHT]
    pieces, side = _side_within(pieces)
    return side, pieces


def _side_within(words: list[str]) -> tuple[list[str], str]:
    """A side that is written together with the bone: "leftarm", "armright"."""
    for side in ("left", "right"):
        for n, word in enumerate(words):
            bone = word.removeprefix(side).removesuffix(side)
            if bone != word and bone in _MEANS:  # and not "upright"
                return [*words[:n], bone, *words[n + 1 :]], side
    return words, ""


def _kind(words: list[str]) -> str:
    if _ENDS & set(words[1:]):
        return ""
    whole = "".join(words)
    if whole in _MEANS:
        return _MEANS[whole]
    found = {_MEANS[word] for word in words if word in _MEANS}
    # Two words that are one: "upper arm", "lower leg".
    if "upper arm" in found and _LOWER & set(words):
        found = found - {"upper arm"} | {"forearm"}
    if "leg" in found:
        if _UPPER & set(words):
            found = found - {"leg"} | {"thigh"}
        elif _LOWER & set(words):
            found = found - {"leg"} | {"shin"}
    return next((kind for kind in _RANK if kind in found), "")
