"""Tidy Bench: readings from bench and field instruments, as trends, logged runs and raw text."""

__version__ = "0.1.0"
