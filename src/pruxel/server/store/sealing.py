"""Secrets at rest: what people type as keys is stored only as the installation's own secret can open it again."""

from __future__ import annotations

import base64
import hashlib
import logging
import os
from functools import lru_cache
from typing import Any

from cryptography.fernet import Fernet, InvalidToken
from sqlalchemy import LargeBinary
from sqlalchemy.engine import Dialect
from sqlalchemy.types import TypeDecorator

from pruxel.core.base.writing import make_folder
from pruxel.server.settings import settings

log = logging.getLogger("pruxel.sealing")


@lru_cache(maxsize=1)
def _seal() -> Fernet:
    """By the setting, or else by a secret that is made on first use and readable only by its owner."""
    given = settings().secret
    if given is not None:
        return Fernet(base64.urlsafe_b64encode(hashlib.sha256(given.get_secret_value().encode()).digest()))
    path = settings().data_folder / "secret"
    if not path.is_file():
        make_folder(settings().data_folder)
        partial = path.with_name(f".secret.{os.getpid()}")
        partial.touch(mode=0o600)
        partial.write_bytes(Fernet.generate_key())
        try:
            os.link(partial, path)  # whoever comes first has made it
        except FileExistsError:
            pass
        finally:
            partial.unlink()
    return Fernet(path.read_bytes())


def sealed(value: bytes) -> bytes:
    """Bytes as they are stored."""
    return _seal().encrypt(value)


def unsealed(stored: bytes) -> bytes | None:
    """The bytes again; None when another installation sealed them."""
    try:
        return _seal().decrypt(stored)
    except InvalidToken:
        log.warning("a key of the ring was stored by another installation: it has to be typed again")
        return None


class Sealed(TypeDecorator[bytes]):
    """A column of bytes that are sealed in the database and open in the program."""

    impl = LargeBinary
    cache_ok = True

    def process_bind_param(self, value: bytes | None, dialect: Dialect) -> bytes | None:
        """On the way in."""
        del dialect
        return None if value is None else sealed(value)

    def process_result_value(self, value: Any | None, dialect: Dialect) -> bytes | None:  # noqa: ANN401 - the driver's
        """On the way out."""
        del dialect
        return None if value is None else unsealed(bytes(value))
