"""Serving the pages and what they ask for."""

import argparse
import json
import logging
import os
import signal
import threading
from pathlib import Path

import uvicorn

from tidybench import __version__, logs
from tidybench.records.database import Patient, engine_for
from tidybench.web.app import guarded, make_app
from tidybench.wire.places import Places, data_folder

logger = logging.getLogger("tidybench.web")


def serve() -> int:
    """Serve until told to end; gives the exit code. What the command line says stands in `__main__`."""
    parser = argparse.ArgumentParser(prog="tidybench.web")
    parser.add_argument("--port", type=int, required=True)
    parser.add_argument("--setups", type=Path, action="append", default=[])
    parser.add_argument("--front-end", type=Path)
    options = parser.parse_args()
    os.umask(0o077)  # run folders, logs and sockets are their owner's alone
    places = Places(data_folder())
    logs.set_up("web", places.logs)
    logger.info("Tidy Bench %s begins (process %d)", __version__, os.getpid())
    token = json.loads(places.access.read_text())["token"]
    address = os.environ["TIDY_DATABASE_URL"]
    engine, patient = engine_for(address), engine_for(address, Patient)
    app = make_app(places, engine, options.front_end, [places.setups, *options.setups], patient)
    config = uvicorn.Config(
        guarded(app, token, options.port, places),
        host="127.0.0.1",
        port=options.port,
        log_config=None,
        log_level="warning",
        access_log=False,
        ws_max_size=65_536,
        ws_per_message_deflate=False,  # on loopback it costs more than it saves
        timeout_graceful_shutdown=2,
    )
    server = uvicorn.Server(config)
    pipe = os.environ.get("TIDY_PARENT_PIPE")
    if pipe:

        def watch() -> None:
            os.read(int(pipe), 1)
            os.kill(os.getpid(), signal.SIGTERM)

        threading.Thread(target=watch, name="parent", daemon=True).start()
    server.run()
    return 0 if server.started else 1
