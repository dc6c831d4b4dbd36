"""Every module that registers a kind of job."""

from pruxel.server.jobs import (
    aliases,
    batch,
    deliver,
    extract,
    glance,
    guessing,
    naming,
    pictures,
    scan,
    search_bytes,
    sweep,
    verify,
    view,
)

__all__ = [
    "aliases",
    "batch",
    "deliver",
    "extract",
    "glance",
    "guessing",
    "naming",
    "pictures",
    "scan",
    "search_bytes",
    "sweep",
    "verify",
    "view",
]
