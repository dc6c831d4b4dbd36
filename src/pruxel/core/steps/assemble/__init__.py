"""Steps about assemble."""
