"""Open formats: each a room that reads and writes, registered by one spec."""
