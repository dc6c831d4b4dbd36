"""Settings, each read from the environment as PRUXEL_…."""

from __future__ import annotations

import os
import secrets
from functools import lru_cache
from pathlib import Path
from typing import Literal

from pydantic import Field, SecretStr, ValidationError
from pydantic_settings import BaseSettings, SettingsConfigDict, SettingsError

from pruxel.core.base.errors import ErrorCode, UsageError
from pruxel.core.base.writing import cannot_write


class Settings(BaseSettings):
    """Where things are. `roots` are the only folders below which sources may be mounted.

    `pictures_ahead` is off where pictures are drawn of what somebody looks at, and of nothing before.
    `secret` seals the keys of the ring where several machines share a database; else the data folder has one.
    """

    model_config = SettingsConfigDict(env_prefix="PRUXEL_")

    data_folder: Path = Field(default_factory=lambda: Path.home() / ".local/share/pruxel")
    database_url: str = "postgresql://pruxel@127.0.0.1:54737/pruxel"
    blob_url: str | None = None
    host: str = "127.0.0.1"
    port: int = Field(8737, ge=1, le=65535)
    roots: list[Path] = Field(default_factory=lambda: [Path.home()])
    output_folder: Path | None = None
    sqlalchemy_echo: bool = False
    job_memory_gb: float = Field(8.0, gt=0.1)
    store_gb: float = Field(20.0, gt=0)
    pictures_ahead: bool = True
    log_level: Literal["debug", "info", "warning", "error"] = "info"
    secret: SecretStr | None = None

    @property
    def job_memory_bytes(self) -> int:
        """How much memory one job may take before it is ended."""
        return int(self.job_memory_gb * 1e9)

    @property
    def store_bytes(self) -> int:
        """How much scenes and results of steps may take in the blob store."""
        return int(self.store_gb * 1e9)

    @property
    def blobs(self) -> str:
        """The blob store's address, a folder by default."""
        return self.blob_url or f"file://{self.data_folder.resolve()}/blobs"

    @property
    def deliveries(self) -> Path:
        """Where deliveries are written."""
        return self.output_folder or self.data_folder / "deliveries"

    @property
    def uploads(self) -> Path:
        """Where files that were sent through the page are kept."""
        return self.data_folder / "uploads"

    @property
    def unfinished(self) -> Path:
        """Where files lie that are sent through the page, until they are whole."""
        return self.data_folder / "unfinished"

    @property
    def sending(self) -> Path:
        """Where entries are unpacked to while they are sent to a page."""
        return self.data_folder / "sending"

    @property
    def extracts(self) -> Path:
        """Where raw files are extracted to."""
        return self.deliveries.parent / "extracts" if self.output_folder is None else self.output_folder

    def access_token(self) -> str:
        """This installation's token, made on first use and readable only by its owner."""
        path = self.data_folder / "access-token"
        if not path.is_file():
            try:
                self.data_folder.mkdir(parents=True, exist_ok=True)
                path.touch(mode=0o600)
                path.write_text(secrets.token_urlsafe(24))
            except OSError as error:
                raise cannot_write(error, path) from error
        return path.read_text().strip()


@lru_cache(maxsize=1)
def settings() -> Settings:
    """The settings of this process; raises `UsageError` for one that makes no sense."""
    try:
        return Settings()
    except (ValidationError, SettingsError) as error:
        first = error.errors()[0] if isinstance(error, ValidationError) else None
        name = "PRUXEL_" + ".".join(str(part) for part in first["loc"]).upper() if first else "PRUXEL_…"
        raise UsageError(
            ErrorCode.USAGE,
            "a setting makes no sense",
            field=name,
            expected=str(first["msg"]) if first else 'a list as JSON, such as ["/home/me/games"]',
            found=repr(os.environ.get(name))[:80] if first else str(error)[:120],
            hint="docs/guide.md lists the settings.",
        ) from None
