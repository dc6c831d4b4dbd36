"""Steps about materials."""
