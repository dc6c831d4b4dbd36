"""The made-up game Brinepost: a courier service on the sea floor. Everything is generated, deterministic from a seed."""
