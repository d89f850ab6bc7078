"""Stand-ins: simulated instruments on real pseudo-terminals, fed by one model of the pump loop.

They stand apart: they share no code with what reads them.
"""
