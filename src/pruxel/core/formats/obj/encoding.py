"""OBJ and MTL files as they come → plain lines of UTF-8."""

from __future__ import annotations

import re

from pruxel.core.base.arrays import Bytes

_CONTINUED = re.compile(rb"\\[ \t]*\r?\n")
_MARKS = ((b"\xff\xfe", "utf-16-le"), (b"\xfe\xff", "utf-16-be"))


def plain_lines(data: memoryview, name: str, notes: list[str]) -> Bytes:
    """Byte order marks taken off, UTF-16 read as text, lines that end in CR or go on after a backslash made whole.

    A file that needs none of this comes back as it is; what was done is told, since places in the file then count
    otherwise.
    """
    text: Bytes = data
    head = bytes(data[:3])
    for mark, encoding in _MARKS:
        if head.startswith(mark):
            text = bytes(data[2:]).decode(encoding, "replace").encode()
            notes.append(f"{name}: the text is {encoding.upper()} and is read as such")
    if head == b"\xef\xbb\xbf":
        text = data[3:]
    if re.search(rb"\r", text) and not re.search(rb"\n", text):
        text = bytes(text).replace(b"\r", b"\n")
    if _CONTINUED.search(text):
        text = _CONTINUED.sub(b" ", bytes(text))
    return text


def words_of(line: bytes) -> tuple[str, str]:
    """The keyword and the rest of a line, blanks and tabs alike."""
    try:
        text = line.decode()
    except UnicodeDecodeError:
        text = line.decode("latin-1")
    key, _, rest = text.replace("\t", " ").replace("\0", " ").strip().partition(" ")
    return key, rest.strip()
