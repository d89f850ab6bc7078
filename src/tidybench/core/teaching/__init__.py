"""Teaching by pointing: patterns inferred from messages, rewritten by saying what a part is.

Everything here gives sources of patterns and reasons in words; nothing is kept before a person says so.
"""
