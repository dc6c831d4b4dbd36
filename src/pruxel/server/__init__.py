"""Storage, queue and web interface around the core."""
