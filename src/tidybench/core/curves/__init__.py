"""Series against something other than the time of day: gathered from messages, and what they say. No I/O."""
