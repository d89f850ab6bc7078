"""Channels: what belongs to a named series beside its samples."""
