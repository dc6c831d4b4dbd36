"""Pruxel: from game files to a proven 3D file in your hands."""

__version__ = "0.1.0"
