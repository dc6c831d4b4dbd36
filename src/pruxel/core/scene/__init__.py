"""The frozen scene model, in the terms of glTF 2.0."""
