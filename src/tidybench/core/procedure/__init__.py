"""Procedures: a written order of steps, checked against the bench, and carried out one after the other."""
