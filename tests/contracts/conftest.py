"""What hundreds of deliveries share."""

import pytest

from pruxel.core.deliver import deliver


@pytest.fixture(autouse=True)
def few_pictures(monkeypatch: pytest.MonkeyPatch) -> None:
    """Reports are not looked at here; their pictures would take longer than their proofs."""
    monkeypatch.setattr(deliver, "_MOST_PICTURES", 0)
