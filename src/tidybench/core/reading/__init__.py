"""Reading: a message in, its fields out.

`pattern` is the message pattern language: parsed into elements, walked element by element to say
where a message stops being understood, and compiled for speed. Beside it stand the readers of
messages that are no pattern (`columns`, `pairs`, `nmea`, `scpi`, `json_lines`, `block`, `registers`); all
are forms. `reader` turns the fields of a query's or listener's messages into samples of its channels.
"""
