"""The recorder: the process that owns ports and run folders.

A `worker` per link waits, feeds and carries out; every event goes through the `journal`, which numbers it; the `writer` empties the
journal into the run folder, the rings and the live stream; the `service` answers requests. `employment` puts set-ups in force,
`run_in_progress` is the run, `recorder` puts all of it together. Who owns what on which thread: docs/architecture.md. It knows
nothing of HTTP or the database.
"""
