"""The one tree of errors. Only what stops the work is raised; everything else is a finding."""

from __future__ import annotations

from dataclasses import asdict, dataclass, fields
from enum import StrEnum
from typing import Any, Self

# How a key is given.
GIVE_KEY = "Add it to the project's key ring, in the shell with --key."


class ErrorCode(StrEnum):
    """The closed list of reasons for which work stops."""

    BUDGET = "over-budget"
    CANCELLED = "cancelled"
    CHECKSUM = "checksum-differs"
    CODEC = "cannot-decompress"
    ENTRY_OUTSIDE_FILE = "entry-outside-file"
    KEY_NEEDED = "key-needed"
    KEY_WRONG = "key-wrong"
    LAYOUT = "layout-invalid"
    MALFORMED = "malformed"
    NOT_FOUND = "not-found"
    NO_SPACE = "no-space"
    OUTSIDE_ROOTS = "outside-roots"
    PROOF_FAILED = "proof-failed"
    REFERENCE = "reference-broken"
    TRUNCATED = "truncated"
    SOURCE_CHANGED = "source-changed"
    UNKNOWN_FORMAT = "unknown-format"
    UNKNOWN_VERSION = "unknown-version"
    UNSAFE_NAME = "unsafe-name"
    USAGE = "usage"
    VOLUME_MISSING = "volume-missing"
    CONFLICT = "conflict"


@dataclass(frozen=True)
class Fault:
    """What went wrong, where, and what to try."""

    code: ErrorCode
    message: str
    file: str | None = None
    offset: int | None = None
    field: str | None = None
    expected: str | None = None
    found: str | None = None
    hint: str | None = None

    def line(self) -> str:
        """One line for a terminal or a log."""
        place = self.file or ""
        if self.offset is not None:
            place += f" at byte {self.offset:,} (0x{self.offset:X})"
        if self.field:
            place += f" in {self.field}"
        parts = [f"{place.strip()}: {self.message}" if place.strip() else self.message]
        if self.expected is not None:
            parts.append(f"expected {self.expected}")
        if self.found is not None:
            parts.append(f"found {self.found}")
        text = "; ".join(parts)
        return f"{text}. {self.hint}" if self.hint else f"{text}."

    def as_dict(self) -> dict[str, Any]:
        """JSON-ready values, absent ones left out."""
        values = {key: value for key, value in asdict(self).items() if value is not None}
        return values | {"code": str(self.code)}


class PruxelError(Exception):
    """The root of everything that stops the work; carries its `Fault`."""

    def __init__(
        self,
        code: ErrorCode,
        message: str,
        *,
        file: str | None = None,
        offset: int | None = None,
        field: str | None = None,
        expected: str | None = None,
        found: str | None = None,
        hint: str | None = None,
    ) -> None:
        self.fault = Fault(code, message, file, offset, field, expected, found, hint)
        super().__init__(self.fault.line())

    @classmethod
    def of(cls, fault: Fault) -> Self:
        """The error that says what a fault says."""
        return cls(**{item.name: getattr(fault, item.name) for item in fields(fault)})

    def __reduce__(self) -> tuple[Any, ...]:
        return (type(self).of, (self.fault,))


class InputError(PruxelError):
    """A file or entry cannot be read."""


def unforeseen(error: Exception, file: str) -> InputError:
    """What nobody foresaw, met while one file or source was read: an error of that one, so that the others go on."""
    if isinstance(error, MemoryError):
        hint = "Close other work, or take a smaller part of it."
        return InputError(ErrorCode.BUDGET, "there is not enough memory to read this", file=file, hint=hint)
    return InputError(
        ErrorCode.MALFORMED,
        f"it could not be read ({type(error).__name__})",
        file=file,
        hint="It is probably damaged, and we did not foresee how: the log says more. Everything else goes on.",
    )


class UsageError(PruxelError):
    """What was asked for makes no sense: an unknown step, a bad parameter, a missing choice."""


class ProofError(PruxelError):
    """A delivered file does not read back as what was written."""


class CancelledError(PruxelError):
    """The person asked the work to stop: an outcome, not a failure."""

    def __init__(self) -> None:
        super().__init__(ErrorCode.CANCELLED, "stopped on request")
