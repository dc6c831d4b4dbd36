"""The pure core: bytes and arrays in, bytes and arrays out."""
