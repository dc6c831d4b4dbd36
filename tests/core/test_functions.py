"""What expressions may call, against independent computations: SciPy's rotations, plain loops, definitions."""

from __future__ import annotations

import math
import tracemalloc
from typing import Any

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st
from scipy.spatial.transform import Rotation

from pruxel.core.base.errors import InputError
from pruxel.core.binary import functions  # noqa: F401 - registers them
from pruxel.core.binary.arithmetic import MOST_ELEMENTS
from pruxel.core.binary.expressions import compile_expression
from pruxel.core.binary.functions.registry import FUNCTIONS
from pruxel.core.binary.records import Record
from pruxel.core.geometry.transforms import compose, decompose, matrices_of, turns_of

ANGLES = st.tuples(*[st.floats(-3.1, 3.1)] * 3)
TURN = st.tuples(*[st.floats(-1, 1)] * 4).filter(lambda q: math.hypot(*q) > 0.1)


def value(text: str, **values: Any) -> Any:
    return compile_expression(text)(Record("r", 0, values=values))


def same_turn(found: Any, wanted: Rotation) -> bool:
    return bool(np.allclose(Rotation.from_quat(np.asarray(found)).as_matrix(), wanted.as_matrix(), atol=1e-6))


@given(angles=ANGLES, order=st.sampled_from(["xyz", "xzy", "yxz", "yzx", "zxy", "zyx", "zxz", "xyx"]))
def test_euler_angles_are_what_scipy_makes_of_them(angles: tuple[float, ...], order: str) -> None:
    assert same_turn(value(f"euler(a, '{order}')", a=angles), Rotation.from_euler(order, angles))
    degrees = tuple(map(math.degrees, angles))
    assert same_turn(value(f"euler(a, '{order}', unit='degrees')", a=degrees), Rotation.from_euler(order, angles))
    own_axes = Rotation.from_euler(order.upper(), angles)
    assert same_turn(value(f"euler(a, '{order[::-1]}')", a=angles[::-1]), own_axes)


@given(first=TURN, second=TURN)
def test_turns_follow_each_other_and_come_back(first: tuple[float, ...], second: tuple[float, ...]) -> None:
    a, b = Rotation.from_quat(first), Rotation.from_quat(second)
    p, q = tuple(a.as_quat().tolist()), tuple(b.as_quat().tolist())
    assert same_turn(value("times(q, p)", p=p, q=q), b * a)
    assert same_turn(value("conjugate(p)", p=p), a.inv())
    assert same_turn(value("rotation_vector(v)", v=tuple(a.as_rotvec().tolist())), a)
    assert same_turn(value("wxyz(p)", p=(p[3], *p[:3])), a)
    assert same_turn(value("rebuilt_w(v, s)", v=p[:3], s=p[3]), a)
    assert same_turn(value("rotation_of(placement((0, 0, 0), p, (2, 3, 0.5)))", p=p), a)


@given(turn=TURN)
def test_the_smallest_three_of_a_turn_are_enough(turn: tuple[float, ...]) -> None:
    q = Rotation.from_quat(turn).as_quat()
    dropped = int(np.argmax(np.abs(q)))
    kept = tuple((np.delete(q, dropped) * np.sign(q[dropped])).tolist())
    assert same_turn(value("smallest_three(k, d)", k=kept, d=dropped), Rotation.from_quat(q))
    many = value("smallest_three(k, d)", k=np.array([kept, kept]), d=np.array([dropped, dropped]))
    assert np.allclose(many, value("smallest_three(k, d)", k=kept, d=dropped))


@given(
    place=st.tuples(*[st.floats(-9, 9)] * 3), turn=TURN, size=st.tuples(*[st.floats(0.1, 4)] * 3), mirror=st.booleans()
)
def test_matrices_are_split_as_one_at_a_time(place: Any, turn: Any, size: Any, mirror: bool) -> None:
    unit = Rotation.from_quat(turn).as_quat()
    size = (-size[0], *size[1:]) if mirror else size
    one = compose(place, unit.tolist(), size)
    assert np.allclose(matrices_of(np.array([place]), unit[None], np.array([size]))[0], one)
    translation, rotation, scale = turns_of(one[None])
    wanted = decompose(one)
    assert np.allclose(translation[0], wanted[0])
    assert np.allclose(scale[0], wanted[2])
    assert same_turn(rotation[0], Rotation.from_quat(wanted[1]))
    for text, values in (("rows", one.ravel()), ("columns", one.T.ravel()), ("rows", one[:3].ravel())):
        assert np.allclose(value(f"matrix(v, '{text}')", v=values), one)
    assert np.allclose(value("matrix(v, 'columns')", v=one[:3].T.ravel()), one)
    assert np.allclose(value("inverse(m) @ (m @ p)", m=one, p=np.array([place])), [place], atol=1e-6)


@given(st.lists(st.integers(-1, 5), max_size=40), st.booleans())
def test_a_strip_is_cut_as_a_plain_loop_cuts_it(corners: list[int], flipped: bool) -> None:
    wanted, run = [], []
    for corner in [*corners, -1]:
        if corner == -1:
            for n in range(len(run) - 2):
                a, b, c = run[n : n + 3]
                if len({a, b, c}) == 3:
                    wanted.append((a, c, b) if (n + flipped) % 2 else (a, b, c))
            run = []
        else:
            run.append(corner)
    marked = np.array([99 if corner == -1 else corner for corner in corners], np.int64)
    found = value("strip(c, restart=99, flipped=f)", c=marked, f=int(flipped))
    assert [tuple(row) for row in found.tolist()] == wanted


@given(st.lists(st.integers(0, 6), max_size=12))
def test_polygons_are_fans_one_after_the_other(sizes: list[int]) -> None:
    corners = np.arange(sum(sizes)) * 10
    wanted, faces, at = [], [], 0
    for face, size in enumerate(sizes):
        for n in range(1, size - 1):
            wanted.append((at * 10, (at + n) * 10, (at + n + 1) * 10))
            faces.append(face)
        at += size
    assert [tuple(r) for r in value("polygons(c, s)", c=corners, s=np.array(sizes, np.int64)).tolist()] == wanted
    assert value("face_of(s)", s=np.array(sizes, np.int64)).tolist() == faces


@given(st.integers(0, 2**40), st.lists(st.integers(1, 12), min_size=1, max_size=4))
def test_bits_are_cut_by_their_definition(word: int, widths: list[int]) -> None:
    left, wanted = word, []
    for width in widths:
        wanted.append(left % 2**width)
        left //= 2**width
    assert value(f"unpack(w, {', '.join(map(str, widths))})", w=word).tolist() == wanted
    first = widths[0]
    low = word % 2**first
    assert value("signed(w, n)", w=word, n=first) == low - (2**first if low >= 2 ** (first - 1) else 0)
    assert value("unorm(bits(w, 0, n), n)", w=word, n=first) == pytest.approx(low / (2**first - 1))
    assert value("bits_set(w)", w=word) == word.bit_count()


@given(st.tuples(*[st.floats(-1, 1)] * 3).filter(lambda v: math.hypot(*v) > 0.1))
def test_unfolded_directions_come_back(direction: tuple[float, ...]) -> None:
    """Folded here as the paper says, by hand: project on |x| + |y| + |z| = 1, the lower half folded over the edges."""
    x, y, z = (v / math.hypot(*direction) for v in direction)
    total = abs(x) + abs(y) + abs(z)
    a, b = x / total, y / total
    if z < 0:
        a, b = (1 - abs(b)) * math.copysign(1, a), (1 - abs(a)) * math.copysign(1, b)
    assert np.allclose(value("octahedral(p)", p=(a, b)), (x, y, z), atol=1e-9)
    around, pole = math.atan2(y, x), math.acos(max(-1, min(1, z)))
    assert np.allclose(value("spherical(a, p)", a=around, p=pole), (x, y, z), atol=1e-9)


@given(st.lists(st.tuples(st.integers(0, 7), st.lists(st.integers(-99, 99), max_size=5)), max_size=8))
def test_stretches_of_varying_length(rows: list[tuple[int, list[int]]]) -> None:
    counts = np.array([len(stretch) for _, stretch in rows], np.int64)
    values = np.array([one for _, stretch in rows for one in stretch], np.int64)
    known = {"c": counts, "v": values}
    assert value("starts(c)", **known).tolist() == [int(counts[:n].sum()) for n in range(len(rows))]
    assert value("within(c)", **known).tolist() == [n for _, stretch in rows for n in range(len(stretch))]
    padded = value("padded(v, c, 3, -1)", **known).tolist()
    assert padded == [([*stretch, -1, -1, -1])[:3] for _, stretch in rows]


def test_texts_of_many_records_are_compared_and_joined_one_by_one() -> None:
    names = ["crab", "fish", "crab"]
    assert value("names == 'crab'", names=names).tolist() == [True, False, True]
    assert value("'fish' != names", names=names).tolist() == [True, False, True]
    assert value("'a/' + names + '.mdl'", names=names) == ["a/crab.mdl", "a/fish.mdl", "a/crab.mdl"]
    assert value("range(3)[names == 'crab']", names=names).tolist() == [0, 2]
    assert value("names[names == 'crab']", names=names) == ["crab", "crab"]
    with pytest.raises(InputError, match="one value, not an array"):
        value("1 if names == 'crab' else 0", names=names)


def test_a_column_for_each_bit_that_is_set() -> None:
    keys = np.arange(12.0).reshape(3, 4)
    assert value("masked(k, 0b101, 2, 1)", k=keys).tolist() == [2, 6, 10]
    assert value("masked(k, 0b101, 1, 1, otherwise=7)", k=keys).tolist() == [7, 7, 7]
    with pytest.raises(InputError, match="column 4 of 4"):
        value("masked(k, 0b11, 1, 3)", k=keys)


def test_a_net_of_curved_patches_meets_its_corners_and_its_middle() -> None:
    grid = np.stack(np.meshgrid(np.arange(5.0), np.arange(3.0)), axis=-1).reshape(-1, 2)
    lifted = np.c_[grid, grid[:, 0] * 0 + (grid[:, 1] == 1)]
    net = value("bezier_net(p, 5, 3, 4)", p=lifted).reshape(5, 9, 3)
    assert np.allclose(net[[0, 0, -1, -1], [0, -1, 0, -1]], lifted[[0, 4, 10, 14]])
    assert np.allclose(net[2, :, 2], 0.5)  # half of the middle row's height, which no sample reaches
    faces = value("lattice(9, 5)")
    assert (len(faces), sorted(set(faces.ravel().tolist()))) == (64, list(range(45)))


@given(st.integers(0, 4), st.integers(0, 4))
def test_woven_texels_are_those_of_a_plain_loop(wide: int, high: int) -> None:
    width, height = 1 << wide, 1 << high
    wanted = np.zeros((height, width), np.int64)
    for y in range(height):
        for x in range(width):
            place, bit = 0, 0
            for n in range(5):
                for size, at in ((wide, x), (high, y)):
                    if n < size:
                        place |= ((at >> n) & 1) << bit
                        bit += 1
            wanted[y, x] = place
    found = value("unwoven(range(w * h), w, h)", w=width, h=height)
    assert found.tolist() == wanted.ravel().tolist()
    assert sorted(found.tolist()) == list(range(width * height))


@given(st.lists(st.tuples(st.integers(1, 128), st.booleans(), st.binary(min_size=2, max_size=2)), max_size=12))
def test_runs_unpack_to_what_was_packed(runs: list[tuple[int, bool, bytes]]) -> None:
    """Packed here, three ways, with items of two bytes."""
    plain = b"".join(item * number for number, _, item in runs)
    for way in ("high_is_run", "high_is_literal", "signed"):
        packed = b""
        for number, same, item in runs:
            if way == "signed":
                packed += bytes([257 - number if same and number > 1 else number - 1])
            else:
                packed += bytes([number - 1 + (128 if same == (way == "high_is_run") else 0)])
            packed += item if same else item * number
        found = value(f"unrun(d, n, 2, '{way}')", d=memoryview(packed), n=len(plain))
        assert bytes(found) == plain
        if packed:
            with pytest.raises(InputError):
                value(f"unrun(d, n, 2, '{way}')", d=memoryview(packed[:-1]), n=len(plain))


def copied(plain: bytes, way: dict[str, Any]) -> bytes:
    """Plain bytes packed as `uncopied` unpacks them: the longest copy that there is, else the byte itself."""
    bits, least, ring = way["place_bits"], way["least"], way["ring"]
    longest, reach = (1 << (16 - bits)) - 1 + least, 1 << bits
    things: list[tuple[int, bytes]] = []
    at = 0
    while at < len(plain):
        best = (0, 0)
        for start in range(max(0, at - reach + 1), at):
            if ring is None and at - start - way["back"] < 0:
                continue
            length = 0
            while length < longest and at + length < len(plain) and plain[start + length] == plain[at + length]:
                length += 1
            best = max(best, (length, start))
        length, start = best
        if length < max(least, 1):
            things.append((way["literal"], plain[at : at + 1]))
            at += 1
            continue
        place = (ring + start) % reach if ring is not None else at - start - way["back"]
        said = length - least
        word = {
            "low": place << (16 - bits) | said,
            "high": said << bits | place,
            "middle": place & 255 | said << 8 | (place >> 8) << (24 - bits),
        }[way["length"]]
        things.append((1 - way["literal"], word.to_bytes(2, "big" if way["word"] == "big" else "little")))
        at += length
    out = b""
    for first in range(0, len(things), 8):
        eight = things[first : first + 8]
        bit = range(8) if way["first_bit"] == "low" else range(7, -1, -1)
        out += bytes([sum(flag << n for (flag, _), n in zip(eight, bit, strict=False))])
        out += b"".join(data for _, data in eight)
    return out


@given(
    st.lists(st.sampled_from([b"a", b"abc", b"tide", b"\0\0\0\0", b"xyzxyzxyz"]), max_size=40),
    st.fixed_dictionaries(
        {
            "place_bits": st.integers(8, 13),
            "least": st.integers(1, 3),
            "literal": st.integers(0, 1),
            "first_bit": st.sampled_from(["low", "high"]),
            "length": st.sampled_from(["low", "high", "middle"]),
            "word": st.sampled_from(["little", "big"]),
            "back": st.integers(1, 2),
            "ring": st.sampled_from([None, 0, 238]),
        }
    ),
)
@settings(deadline=None)
def test_copies_are_undone_however_they_are_written(pieces: list[bytes], way: dict[str, Any]) -> None:
    plain = b"".join(pieces)
    packed = copied(plain, way)
    said = ", ".join(f"{key}={one!r}" for key, one in way.items() if one is not None)
    assert bytes(value(f"uncopied(d, n, {said})", d=memoryview(packed), n=len(plain))) == plain
    if packed:
        with pytest.raises(InputError, match="end before"):
            value(f"uncopied(d, n, {said})", d=memoryview(packed[:-1]), n=len(plain))


def test_copies_of_what_was_never_written() -> None:
    """The window begins full of one byte; without a window there is nothing before the first."""
    assert bytes(value("uncopied(d, 3, ring=238, fill=32)", d=memoryview(b"\0\0\0"))) == b"   "
    with pytest.raises(InputError, match="nothing was unpacked"):
        value("uncopied(d, 4)", d=memoryview(b"\0\0\0"))
    with pytest.raises(InputError, match="nothing was unpacked"):
        value("uncopied(d, 4, back=0, literal=1)", d=memoryview(b"\1a\0\0"))


@pytest.mark.parametrize(
    ("text", "words"),
    [
        ("array(b, 'f32x3', 4)", "need 48 bytes, the block has 40"),
        ("array(b, 'q8')", "no element type"),
        ("a + vec(1, 2)", "do not go together"),
        ("m @ vec(1, 2)", "square matrices"),
        ("rows(range(7), 3)", "no whole rows"),
        ("a[9]", "no item 9"),
        ("a[0:9]", "no stretch of 3"),
        ("a if a else 0", "a condition is one value"),
        ("vec(1, 2).z", "no 'z' here"),
        ("range(100000000)", "more than the"),
        ("full(vec(1, 2, 3), 99999999)", "more than the"),
        ("repeat(range(3), 99999999)", "more than the"),
        ("inverse(matrix(range(16)))", "cannot be undone"),
        ("euler(a, 'xxy')", "no order of axes"),
        ("nothing.at", "no 'nothing' here"),
        ("int('x')", "no whole number"),
        ("numbers('1 2 z')", "other than numbers"),
        ("polygons(range(3), vec(4, 1))", "of 3 that are there"),
        ("quads(range(5))", "no whole faces"),
        ("a / 0 + range(3) // 0", "division by zero"),
        ("lower(a)", "no text"),
    ],
)
def test_what_has_no_value_says_why_in_our_words(text: str, words: str) -> None:
    with pytest.raises(InputError) as caught:
        value(text, a=np.array([1, 2, 3]), b=memoryview(bytes(40)), m=np.ones((2, 3)))
    assert words in caught.value.fault.line()
    assert "numpy" not in caught.value.fault.line()


JUNK = st.one_of(
    st.integers(-5, 70), st.floats(allow_nan=True), st.text(max_size=4), st.just(np.arange(12)), st.just(np.ones((3, 4))),
    st.just(np.eye(4)), st.just(memoryview(b"abcdefgh")), st.just([1, "x"]), st.just((1.0, 2.0, 3.0)), st.booleans(),
    st.just(2**62), st.just(np.zeros(0)), st.just(np.array([2**63], np.uint64)), st.just({"a": 1}), st.none(),
)  # fmt: skip


@given(name=st.sampled_from(sorted(FUNCTIONS)), arguments=st.lists(JUNK, max_size=5))
def test_any_function_of_anything_has_a_value_or_says_why(name: str, arguments: list[Any]) -> None:
    known = {f"v{n}": argument for n, argument in enumerate(arguments)}
    try:
        run = compile_expression(f"{name}({', '.join(known)})")
    except ValueError:
        return
    tracemalloc.start()
    try:
        found = run(Record("r", 0, values=known))
        assert np.size(np.asarray(found, dtype=object)) <= MOST_ELEMENTS
    except InputError as error:
        assert error.fault.line()
    finally:
        peak = tracemalloc.get_traced_memory()[1]
        tracemalloc.stop()
    assert peak < 600 << 20


def test_what_a_file_of_few_bytes_may_make_is_bounded() -> None:
    record = Record("r", 0, values={"n": 2_000_000})
    run = compile_expression("range(n) * 2")
    for _ in range(4):
        run(record)
    with pytest.raises(InputError, match="more of the file than it can hold"):
        run(record)
