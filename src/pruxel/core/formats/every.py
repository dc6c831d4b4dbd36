"""Importing this registers all formats: each room below is found by itself."""

import pruxel.core.formats
from pruxel.core.base.registry import import_all

import_all(pruxel.core.formats)
