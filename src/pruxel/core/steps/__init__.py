"""Steps: one module each, found and registered by import."""

import sys

from pruxel.core.base.registry import import_all

import_all(sys.modules[__name__])
