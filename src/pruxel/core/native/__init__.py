"""One module per compiled library: coercion in, its errors translated out."""
