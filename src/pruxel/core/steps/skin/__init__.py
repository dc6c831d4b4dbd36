"""Steps about what holds a model together: joints, their rest, and how much each pulls."""
