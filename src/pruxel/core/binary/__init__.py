"""Layouts: binary formats described as data, and the reading of them."""
