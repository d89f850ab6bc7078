"""Corrected values handed on to others: what is written, and when. No I/O."""
