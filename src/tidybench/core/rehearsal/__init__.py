"""Trying out without instruments: what a tape says, said again."""
