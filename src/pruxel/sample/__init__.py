"""The made-up game Brinepost: a courier service on the sea floor. All is generated, deterministic from a seed."""
