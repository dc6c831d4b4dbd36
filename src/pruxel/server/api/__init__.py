"""The web interface: typed routes, problem details, server-sent events."""
