"""Captures: bytes that were saved, read without a server or a database.

`capture` knows the forms they are saved in; `readout` reads them with a set-up, or says what is wrong.
"""
