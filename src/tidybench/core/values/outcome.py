"""What can come of a command."""

from typing import Literal

Outcome = Literal["answered", "sent", "refused", "no answer", "not understood", "not sent", "not known"]
"""`answered`: as it must be. `sent`: nothing need come, and nothing that came says otherwise. `refused`: the instrument says so.
`not understood`: something else came. `not sent`: it never went out. `not known`: the link was lost before it was answered."""
