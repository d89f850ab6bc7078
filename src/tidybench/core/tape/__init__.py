"""The tape: what happens on a link, in the order it happened.

`events` are what happened, `lines` their text in the run folder, `shown` what of it a person sees.
"""
