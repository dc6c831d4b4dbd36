"""Steps about clips and poses."""
