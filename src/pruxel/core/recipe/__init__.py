"""The workpiece document and its running."""
