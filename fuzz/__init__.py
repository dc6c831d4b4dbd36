"""Bytes and texts changed at random, read by everything that reads: an answer or a refusal in words, in bounds."""
