"""One model a noun: channel, mark, crossing, counts and statistics of a run, the origin of what is sent.

Tape, run folder, wire, records and web carry these; none of them restates one.
"""
