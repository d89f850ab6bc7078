"""Reading: a message in, its fields out.

`pattern` is the message pattern language: parsed into elements, walked element by element to say
where a message stops being understood, and compiled for speed. `reader` turns the fields of a
query's or listener's messages into samples of its channels.
"""
