"""From set-ups to what runs: set-ups checked whole, and compiled into what each link does.

`setup` says what may stand in a set-up, `reading` how messages are read; only here do they meet. `load` reads and
checks a set-up, `planning` makes `LinkPlan`s of several, `edit` changes a set-up's text.
"""
