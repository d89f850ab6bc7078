"""The demo's Logbook: made-up runs of the pump test shop, made by the model of its loop, read through the real core, logged by the real log.

Only the clock is not real: bytes are stamped as those of an earlier day would have been.
"""
