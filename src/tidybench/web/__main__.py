"""The web server process.

python -m tidybench.web --port N [--setups FOLDER]...: the database's address is TIDY_DATABASE_URL, the
token stands in DATA/access.json. Ends on SIGTERM, or when the process that started it does.
"""

import gc
import sys


def main() -> int:
    """Serve until told to end."""
    # What is imported stays: looking for garbage among it made a third of the time until the first answer.
    gc.disable()
    from tidybench.web.serving import serve

    gc.freeze()
    gc.enable()
    return serve()


if __name__ == "__main__":
    sys.exit(main())
