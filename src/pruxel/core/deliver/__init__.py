"""Deliveries: files for a purpose, read back and compared."""
