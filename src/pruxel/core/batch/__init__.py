"""One recipe over many items: what became of each, and what came out differently than before."""
