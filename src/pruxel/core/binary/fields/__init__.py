"""The types of fields, one module each; importing this registers all."""

from pruxel.core.binary.fields import blocks, computed, numbers, records, siblings, texts, words

__all__ = ["blocks", "computed", "numbers", "records", "siblings", "texts", "words"]
