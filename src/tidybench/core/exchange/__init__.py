"""The exchange of a link: who may speak, whose answer comes, what was read of it. No I/O, no clock, no thread.

`state` is the table of states and events; `exchange` what is in the air; `link_reader` turns a link's events into
samples, live and from a tape alike. Live only, `link_talk` decides what happens next: `schedule` says which query is due,
`session` what is said around a session, `gathering` how long bytes are held back.
"""
