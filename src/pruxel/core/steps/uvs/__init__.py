"""Texture coordinates: made, moved, chosen."""
