"""The recorder: the process that owns ports and run folders.

A `worker` per link polls and reads; every event goes through the `journal`, which numbers it; the `pump`
empties the journal into the run folder, the rings and the live stream; `service` answers requests.
It knows nothing of HTTP or the database.
"""
