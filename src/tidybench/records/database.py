"""The connection to PostgreSQL, and bringing its tables up to date."""

from importlib import resources
from typing import Any

import psycopg
from alembic import command
from alembic.config import Config
from psycopg.errors import _WaitTimeout as WaitTimeout
from sqlalchemy import Engine, create_engine, text
from sqlalchemy.engine import make_url

PATIENCE = 2.3
"""Seconds that a request waits for the database, twice at the most: for a connection that was open, and for a new one. A
server may hang (stopped, its disk away) without ending."""

LONG = 60.0
"""Seconds that whoever has time waits: migrations, the clerk."""


class Impatient(psycopg.Connection[Any]):
    """A connection that is given up when the server says nothing for so long. `patience`: seconds."""

    patience = PATIENCE

    def wait(self, gen: Any, interval: float = 0.1, timeout: float | None = None) -> Any:
        try:
            return super().wait(gen, interval=interval, timeout=self.patience if timeout is None else timeout)
        except WaitTimeout:
            self.pgconn.finish()
            raise psycopg.OperationalError(f"it said nothing for {self.patience:g} s") from None


class Patient(Impatient):
    """For those who have time."""

    patience = LONG


def engine_for(url: str, kind: type[Impatient] = Impatient) -> Engine:
    """An engine that does not wait long for a server that is away, or hangs."""
    parsed = make_url(url).set(drivername="postgresql+psycopg")
    address = parsed.set(drivername="postgresql").render_as_string(hide_password=False)
    return create_engine(
        parsed,
        pool_pre_ping=True,
        pool_size=6,
        max_overflow=10,
        pool_timeout=PATIENCE,
        creator=lambda: kind.connect(address, connect_timeout=2),
    )


def _config() -> Config:
    config = Config()
    config.set_main_option("script_location", str(resources.files("tidybench.records") / "migrations"))
    return config


def upgrade(engine: Engine, revision: str = "head") -> None:
    """Bring the tables to a revision; benches that share a server take turns."""
    config = _config()
    with engine.begin() as connection:
        connection.execute(text("SELECT pg_advisory_xact_lock(847001)"))
        config.attributes["connection"] = connection
        command.upgrade(config, revision)


def downgrade(engine: Engine, revision: str = "base") -> None:
    """Take the tables back to a revision."""
    config = _config()
    with engine.begin() as connection:
        config.attributes["connection"] = connection
        command.downgrade(config, revision)
