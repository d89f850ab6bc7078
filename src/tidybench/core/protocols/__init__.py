"""Open protocols: how their frames are made and checked."""
