"""Whatever way a search takes through the indexes, it finds what a plain walk over all rows finds."""

from __future__ import annotations

import re
from collections import Counter
from dataclasses import replace
from fnmatch import translate

import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from pruxel.core.knowledge.kinds import Kind
from pruxel.core.sources.base import Listed
from pruxel.server.store import facets, samples, search
from pruxel.server.store.conditions import Query
from pruxel.server.store.database import reading, session
from pruxel.server.store.loading import Loading, copy_entries, known_folders, new_slot, store_counts, store_folders
from pruxel.server.store.stack_state import StackState, stack_state
from pruxel.server.store.tables import Mark, Project, Reference, SourceRow
from pruxel.server.store.words import worth_looking_up

PARTS = ["crab", "Toll_crab", "kelp", "reef 02", "lamp%", "Ünder", "a_b", "g0012", "lamp-x", "diver"]
ENDINGS = ["dds", "brm", "txt"]
KINDS = [Kind.TEXTURE, Kind.MODEL, Kind.TEXT]
SIZES = [1, 60, 2_000, 999_950]
ROWS = [
    Listed(f"{a}/{b}_{n:02d}.{ENDINGS[n % 3]}", KINDS[n % 3], SIZES[n % 4] + (7 * n) % 50, 1, "stored", n)
    for n, (a, b) in enumerate((a, b) for a in PARTS for b in PARTS for _ in range(2))
] + [Listed(f"{name}.txt", Kind.TEXT, 70, 1, "stored", 0) for name in ("ab", "b_x", "crab_0")]
STARRED, NOTED, SEEN = {ROWS[5].path}, {ROWS[5].path}, {ROWS[90].path}
LOWER, UPPER = ROWS[:150], ROWS[120:]


@pytest.fixture(scope="module")
def state(installation: dict[str, str]) -> StackState:
    """Two sources that share no slot (who holds a path is settled elsewhere), a few marks and references."""
    with session() as db:
        project = Project(name="searched")
        db.add(project)
        db.flush()
        for place, rows in enumerate((LOWER, UPPER[30:])):
            row = SourceRow(
                project_id=project.id, mount=str(place), label=f"s{place}", kind="folder", position=place, state="ready"
            )
            db.add(row)
            db.flush()
            loading = Loading(project.id, new_slot(db, project.id, row.id, [str(row.id)]))
            loading.folders = known_folders(db, project.id)
            copy_entries(db, loading, rows, lambda _rows: None, "entries")
            store_folders(db, loading)
            store_counts(db, loading)
        db.add(Mark(project_id=project.id, path=ROWS[5].path, alias="Old diver's lamp", star=True))
        db.add(Mark(project_id=project.id, path=ROWS[90].path, seen=True))
        db.add(Mark(project_id=project.id, path="kelp", folder=True, alias="Garden", note="where crabs sleep"))
        for n, times in ((3, 2), (40, 5), (100, 1)):
            for _ in range(times):
                db.add(Reference(project_id=project.id, path="x", name="n", target=ROWS[n].path))
        named = project.id
    with session() as db:
        found = stack_state(db, named)
    assert found is not None
    return found


def spoken_of(path: str, word: str) -> bool:
    """Whether alias or note of the path, or of a folder above it, has the word."""
    folder = path.startswith("kelp/") and any(word in text for text in ("garden", "where crabs sleep"))
    return folder or (path == ROWS[5].path and word in "old diver's lamp")


def means(path: str, word: str) -> bool:
    """One word of a search, judged the plain way."""
    low, word = path.lower(), word.lower()
    if "*" in word or "?" in word:
        pattern = translate(word.removeprefix("**/").replace("[", "[[]"))
        own = bool(re.match(pattern, low.rsplit("/", 1)[-1]))
    elif len(word) < 3:
        own = bool(re.search(rf"(^|[/_. -]){re.escape(word)}", low))
    else:
        own = word in low
    return own or spoken_of(path, word)


def expected(query: Query) -> list[Listed]:
    found = []
    for row in (*LOWER, *UPPER[30:]):
        words = [(w[1:], False) if w.startswith("-") and len(w) > 1 else (w, True) for w in query.words.split()]
        if any(means(row.path, w) is not wanted for w, wanted in words):
            continue
        if query.kind and row.kind != query.kind:
            continue
        if query.folder and not row.path.startswith(f"{query.folder}/"):
            continue
        if row.size < (query.least or 0) or row.size > (query.most or row.size):
            continue
        found.append(row)
    uses = {ROWS[3].path: 2, ROWS[40].path: 5, ROWS[100].path: 1}
    place = {row.path: n for n, rows in enumerate((LOWER, UPPER[30:])) for row in rows}
    first = {
        "path": lambda r: (),
        "size": lambda r: (r.size,),
        "kind": lambda r: (str(r.kind),),
        "source": lambda r: (place[r.path],),
        "references": lambda r: (uses.get(r.path, 0),),
    }[query.sort]
    return sorted(found, key=lambda r: (*first(r), r.path.encode()), reverse=query.down)


WORDS = st.one_of(
    st.sampled_from(["crab", "-crab", "CRAB", "to", "l", "%", "_", "p%_", "ünd", "*crab*", "?rab_*", "-*.dds", "*%*"]),
    st.sampled_from(["garden", "lamp", "0", "reef", "g00", "a_b", "zzz", "*zz*", "-zzz", "sleep", "x_*", "ab_reef"]),
    st.sampled_from(
        ["b_crab", "toll_crab_0", "crab/toll", "reef*_0*", "p%_17", "a_b_1", "%%_", "b.t", "-a_b/lamp", "_0"]
    ),
    st.sampled_from(["**/ab*", "**/b_*", "**/*crab_0*", "-**/crab*", "*a", "?b*"]),
)
QUERIES = st.builds(
    Query,
    words=st.lists(WORDS, max_size=3).map(" ".join),
    kind=st.sampled_from([None, None, "texture", "model", "unknown"]),
    folder=st.sampled_from([None, None, "kelp", "reef 02", "lamp"]),
    least=st.sampled_from([None, None, 1, 20, 1000]),
    most=st.sampled_from([None, None, 99, 999, 2_030]),
    sort=st.sampled_from(["path", "size", "kind", "source", "references"]),
    down=st.booleans(),
)


@pytest.mark.parametrize(
    ("walked", "large"), [(15_000, 1_000), (40, 1_000), (60, 20)], ids=["walked", "looked up", "sampled"]
)
def test_pages_and_counts_are_those_of_a_plain_walk(
    state: StackState, walked: int, large: int, monkeypatch: pytest.MonkeyPatch
) -> None:
    monkeypatch.setattr(search, "_WALKED", dict.fromkeys(search._WALKED, walked))
    monkeypatch.setattr(facets, "_WALKED", walked)
    monkeypatch.setattr(samples, "_LARGE", large)
    with session() as db:
        samples.take_samples(db, state.every)
    monkeypatch.setattr(search, "fair_share", lambda _state, slots, rows: rows // len(slots))
    monkeypatch.setattr(facets, "fair_share", lambda _state, slots, rows: rows // len(slots))

    @settings(max_examples=80, deadline=None)
    @given(query=QUERIES, offset=st.integers(0, 30), limit=st.integers(1, 60))
    def check(query: Query, offset: int, limit: int) -> None:
        wanted = expected(query)
        with reading() as db:
            rows = search.page(db, state, query, offset=offset, limit=limit)
            counted = facets.counts(db, state, query)
            assert [r.path for r in rows] == [r.path for r in wanted[offset : offset + limit]]
            assert (counted.total, counted.size) == (len(wanted), sum(r.size for r in wanted))
            free = expected(replace(query, kind=None))
            assert counted.kinds == {k: n for k in KINDS if (n := sum(r.kind == k for r in free))}
            free = expected(replace(query, least=None, most=None))
            assert counted.digits == Counter(len(str(r.size)) for r in free)
            starred, noted, seen = ([r for r in wanted if r.path in paths] for paths in (STARRED, NOTED, SEEN))
            told = {"shadowed": 0, "starred": len(starred), "noted": len(noted), "seen": len(seen)}
            assert counted.flags == told

    check()


def test_rare_pieces_are_looked_up_and_no_more_than_pay() -> None:
    sample = [f"kelp/coral_{n:04d}" for n in range(0, 2000, 10)] + [f"kelp/crab_{n:04d}" for n in range(1800)]
    assert worth_looking_up(sample, ["kel", "elp", "cor", "ora"]) == ["cor"]
    assert worth_looking_up(sample, ["kel", "CRA", "019"]) == ["019"]
    assert worth_looking_up(sample, ["KEL", "RAB", "_17"]) == ["_17"]
    assert worth_looking_up(sample, ["xyz", "kel"]) == ["xyz"]
    assert worth_looking_up([], ["kel", "elp"]) == ["kel", "elp"]
