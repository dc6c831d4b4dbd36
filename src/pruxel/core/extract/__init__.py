"""Parsed records → scene."""
