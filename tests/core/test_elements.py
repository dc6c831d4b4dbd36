"""Element types against their definitions, value by value."""

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from pruxel.core.binary.elements import decode_floats, decode_plain, element
from tests.reference.elements import slow_decode

KINDS = ["f32x3", "f16x2", "snorm8x4", "unorm8x4", "u8x4", "unorm16x4", "snorm16x2", "i16x3", "u32", "f64x2",
         "unorm10_10_10_2", "snorm10_10_10_2"]  # fmt: skip


@pytest.mark.parametrize("name", KINDS)
@pytest.mark.parametrize("order", ["<", ">"])
@given(data=st.binary(min_size=240, max_size=240), offset=st.integers(0, 5))
def test_fast_decoding_equals_the_slow_twin(name: str, order: str, data: bytes, offset: int) -> None:
    kind = element(name)
    assert kind is not None
    rows = np.frombuffer(data, np.uint8).reshape(8, 30)
    with np.errstate(invalid="ignore", over="ignore"):
        fast = decode_floats(rows, kind, offset, order)
        slow = slow_decode(rows, name, offset, order)
    np.testing.assert_allclose(fast, slow, rtol=1e-6, atol=1e-7)


def test_extremes_of_normalised_integers() -> None:
    rows = np.array([[0x80, 0x81, 0x00, 0x7F]], np.uint8)
    kind = element("snorm8x4")
    assert kind is not None
    assert decode_floats(rows, kind, 0).tolist() == [[-1.0, -1.0, 0.0, 1.0]]


def test_split_over_threads_covers_every_row() -> None:
    rows = np.random.default_rng(1).integers(0, 256, (100_003, 28), dtype=np.uint8)
    kind = element("u8x4")
    assert kind is not None
    np.testing.assert_array_equal(decode_floats(rows, kind, 20), rows[:, 20:24])
    np.testing.assert_array_equal(decode_plain(rows, kind, 20), rows[:, 20:24])


@pytest.mark.parametrize("name", ["f32x17", "f8", "x3", "u16x0", "unorm8x", "bytes", ""])
def test_other_words_are_no_elements(name: str) -> None:
    assert element(name) is None
