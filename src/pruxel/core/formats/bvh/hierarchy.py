"""HIERARCHY: the joints, where they rest on the one above, and which numbers of a frame move them."""

from __future__ import annotations

from dataclasses import dataclass, field

from pruxel.core.base.errors import ErrorCode, InputError
from pruxel.core.base.limits import Limits

_KINDS = ("position", "rotation")


@dataclass
class Joint:
    """A joint: `above` is the number of the one above or -1; `channels` say what its numbers are, "xrotation"."""

    name: str
    above: int
    offset: tuple[float, float, float] = (0.0, 0.0, 0.0)
    channels: list[str] = field(default_factory=list)


def joints_of(lines: list[str], file: str, limits: Limits) -> list[Joint]:
    """The joints that lines describe, each after the one above it, ends of limbs too; raises `InputError`.

    Braces may stand anywhere, names may hold spaces, and a file that ends early closes what is open.
    """
    found, open_joints = list[Joint](), list[int]()
    for number, line in enumerate(lines, 1):
        word, _, rest = line.partition(" ")
        kind = word.upper()
        if kind in {"ROOT", "JOINT", "END"}:
            above = open_joints[-1] if open_joints else -1
            name = rest.removesuffix("{").strip()
            if kind == "END":
                name = f"{found[above].name} end" if found else "end"
            found.append(Joint(name or f"joint {len(found)}", above))
            if len(found) > limits.nodes:
                raise InputError(ErrorCode.BUDGET, "there are more joints than one file may have", file=file)
            if line.endswith("{"):
                open_joints.append(len(found) - 1)
        elif kind == "{":
            if not found:
                raise _bad(file, number, "a brace opens no joint", "ROOT and a name before it", line)
            open_joints.append(len(found) - 1)
        elif kind == "}":
            if open_joints:
                open_joints.pop()
        elif kind in {"OFFSET", "CHANNELS"}:
            if not open_joints:
                raise _bad(file, number, "this belongs to no joint", "ROOT and a name before it", line)
            joint = found[open_joints[-1]]
            if kind == "OFFSET":
                joint.offset = _three(rest, file, number)
            else:
                joint.channels = _channels(rest, file, number)
    if not found:
        raise _bad(file, 1, "there is no joint in this file", "ROOT and a name", " ".join(lines[:1])[:60])
    return found


def _three(text: str, file: str, line: int) -> tuple[float, float, float]:
    try:
        x, y, z = (float(word) for word in text.split()[:3])
    except ValueError:
        raise _bad(file, line, "where a joint rests cannot be read", "three numbers", text[:60]) from None
    if not all(abs(value) < 1e9 for value in (x, y, z)):
        raise _bad(file, line, "a joint rests nowhere", "three numbers of some size", text[:60])
    return x, y, z


def _channels(text: str, file: str, line: int) -> list[str]:
    words = text.split()
    names = [word.lower() for word in words[1:]]
    fit = all(name[:1] in "xyz" and name[1:] in _KINDS for name in names)
    if not words or not words[0].isdigit() or int(words[0]) != len(names) or not fit:
        wanted = "a count and names such as Xrotation"
        raise _bad(file, line, "the channels of a joint cannot be read", wanted, text[:80])
    return names


def _bad(file: str, line: int, message: str, expected: str, found: str) -> InputError:
    return InputError(ErrorCode.MALFORMED, message, file=file, field=f"line {line:,}", expected=expected, found=found)
