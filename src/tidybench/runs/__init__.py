"""Runs on disk: one folder a run, with CSV, samples, tape, marks, set-ups and summary.

`folder` names and describes a run folder; `log` writes one while the run goes on; `recovery` mends
one after a crash; `reread` reads its tape again through the core; `rows` is the row rule.
docs/formats/run-folder.md is the specification.
"""
