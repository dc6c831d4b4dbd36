"""Arrays in, arrays out."""
