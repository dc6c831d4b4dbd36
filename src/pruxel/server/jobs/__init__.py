"""Thin jobs: load → core → save."""
