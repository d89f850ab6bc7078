"""When to ask: the poll grid, giving up, draining."""
