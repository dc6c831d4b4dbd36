"""Delivered files read back by programs that share no code with our writers, and compared with what was meant."""

from pruxel.core.deliver.proof.checks import Check, Outcome, Proof, Tolerances

__all__ = ["Check", "Outcome", "Proof", "Tolerances"]
