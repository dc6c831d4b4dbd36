"""Clips from one skeleton onto another: which joint is which, and how its movement is carried over."""
