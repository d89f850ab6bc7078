"""Breaks a real bench at random instants and compares what is left of each run with itself, the records, and what its instruments sent: ./tidy torture."""
