"""The heart of Tidy Bench: from bytes to samples, with no I/O.

`setup` describes an instrument; `framing` cuts bytes into messages; `reading` turns messages
into fields and samples; `timing` decides when to ask; `session` ties
them together for one link; `path` says in words how well it goes. Everything here takes events
with their times in and gives effects out: nothing opens a port, reads a clock or starts a thread.
Times are whole microseconds since 1970-01-01 UTC throughout.
"""
