"""Readers of delivered files that share no code with our writers, one module each; formats name theirs."""
