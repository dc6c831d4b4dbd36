"""Errors, findings, limits, progress and array types that every other room uses."""
