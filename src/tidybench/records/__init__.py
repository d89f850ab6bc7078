"""The records: everything that was measured, in PostgreSQL, for the logbook and for people's own SQL.

`models` has the tables, `migrations` their history, `blocks` how samples go in and come out.
They are made from the run folders and can be made from them again.
"""
