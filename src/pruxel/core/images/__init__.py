"""Pixels: block-compressed and plain files in, PNG out."""
