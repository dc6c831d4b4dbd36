"""Steps about geometry."""
