"""The words of a search: what each means as a condition, and by which of their letters the word index finds it."""

from __future__ import annotations

import re
from collections.abc import Iterable, Sequence
from dataclasses import dataclass
from typing import Any

from sqlalchemy import text
from sqlalchemy.orm import Session

from pruxel.core.knowledge.patterns import pattern_regex
from pruxel.server.store.likes import escaped
from pruxel.server.store.stack_state import StackState

_TRIGRAM = 3
_MOST_WORDS = 12
_MOST_MARKED = 200
_MOST_FOLDERS = 40
_SAMPLED = ("sampled paths",)
# Looking at a row costs about as much as passing over so many places of one more piece in the word index.
_ROW = 26


@dataclass(frozen=True)
class Words:
    """The condition of each word, over rows `e`, and `keys`: what follows from them and the word index can look up.

    `by_word` tells whether it can find the matches: it needs three characters in a row, or the start of a part.
    """

    tests: tuple[str, ...]
    keys: tuple[str, ...]
    values: dict[str, Any]
    by_word: bool


def words_of(db: Session, state: StackState, words: str) -> Words:
    """What the words of a search mean: all of them, in any order; a leading minus is a no."""
    values, tests, pieces, by_word = dict[str, Any](), list[str](), list[str](), False
    for number, raw in enumerate(words.split()[:_MOST_WORDS]):
        out = raw.startswith("-") and len(raw) > 1
        word = raw[1:] if out else raw
        marked = _marked(db, state, word, f"m{number}", values)
        # Made anew like this, a text is only judged; pieces of it are looked up, unless there is another way to match.
        lowered = "e.lowered" if marked else "(e.lowered || '')"
        own = _word(word, f"w{number}", values, lowered)
        tests.append(f"{'NOT ' if out else ''}({' OR '.join((own, *marked))})")
        if not out:
            own_pieces = _pieces(word)
            pieces += [] if marked else own_pieces
            by_word |= bool(own_pieces) or (len(word) < _TRIGRAM and not _wild(word))
    keys = worth_looking_up(_sampled(db, state), pieces) if pieces else []
    values |= {f"k{number}": f"%{escaped(piece)}%" for number, piece in enumerate(keys)}
    return Words(tuple(tests), tuple(f"e.lowered LIKE lower(:k{n})" for n in range(len(keys))), values, by_word)


def _word(word: str, key: str, values: dict[str, Any], lowered: str) -> str:
    """The condition for one word. One or two letters mean the start of a part, or they would mean nearly everything."""
    like = escaped(word).replace("*", "%").replace("?", "_")
    if _wild(word) and "/" not in word and "**" not in word:
        values[key] = like
        return f"split_part({lowered}, '/', -1) LIKE lower(:{key})"
    if _wild(word):
        values[key] = f"^{pattern_regex(word if '/' in word or word.startswith('**') else f'**/{word}')}$"
        return f"{lowered} ~ lower(:{key})"
    if len(word) < _TRIGRAM:
        values[key] = f"(^|[/_. -]){re.escape(word)}"
        return f"e.lowered ~ lower(:{key})"
    values[key] = f"%{like}%"
    return f"{lowered} LIKE lower(:{key})"


def _wild(word: str) -> bool:
    return "*" in word or "?" in word


def _marked(db: Session, state: StackState, word: str, key: str, values: dict[str, Any]) -> list[str]:
    """Conditions for what has the word in its alias or note, or lies in a folder that has."""
    rows = db.execute(
        text(
            "SELECT path, folder FROM marks WHERE project_id = :project "
            f"AND (alias ILIKE :word OR note ILIKE :word) LIMIT {_MOST_MARKED}"
        ),
        {"project": state.project, "word": f"%{escaped(word)}%"},
    ).all()
    folders = [row.path for row in rows if row.folder][:_MOST_FOLDERS]
    values |= {f"{key}_{place}": f"{folder}/" for place, folder in enumerate(folders)}
    values |= {f"{key}_{place}e": f"{folder}0" for place, folder in enumerate(folders)}
    conditions = [f"(e.path >= :{key}_{place} AND e.path < :{key}_{place}e)" for place in range(len(folders))]
    paths = [row.path for row in rows if not row.folder]
    if paths:
        values[key] = paths
        conditions.append(f"e.path = ANY(:{key})")
    return conditions


def _pieces(word: str) -> list[str]:
    """All that the word index holds of a word: three letters or digits in a row, and starts of parts."""
    found: dict[str, None] = {}
    for start, part in re.findall(r"(_|[^\w*?])?([^\W_]+)", word.replace("**/", "*")):
        if start and len(part) < _TRIGRAM:
            found[start + part] = None
        found |= dict.fromkeys(part[at : at + _TRIGRAM] for at in range(len(part) - _TRIGRAM + 1))
    return list(found)


def worth_looking_up(sample: Sequence[str], pieces: Iterable[str]) -> list[str]:
    """The pieces whose looking up costs less than looking at the rows it leaves out, rarest first; at least one.

    All pieces of `kelp_coral_00` would take the word index four times as long as `kel` and `cor`, which leave it
    hardly more rows to look at. Without a `sample` (paths in lower case), all pieces are worth it.
    """
    every = "\n".join(sample)
    number = {piece: every.count(piece.lower()) for piece in pieces}
    chosen, rest = list[str](), list(sample)
    for piece in sorted(number, key=lambda piece: number[piece]):
        left = [path for path in rest if piece.lower() in path]
        if not chosen or not sample or _ROW * (len(rest) - len(left)) > number[piece]:
            chosen.append(piece)
            rest = left
    return chosen


def _sampled(db: Session, state: StackState) -> list[str]:
    """The sampled paths of the project's large slots, kept with the state."""
    kept = state.answers.get(_SAMPLED)
    if kept is None:
        rows = db.execute(text("SELECT lowered FROM entry_samples WHERE slot = ANY(:slots)"), {"slots": state.every})
        kept = state.answers[_SAMPLED] = list(rows.scalars())
    return kept
