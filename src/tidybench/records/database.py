"""The connection to PostgreSQL, and bringing its tables up to date."""

import re
from importlib import resources
from typing import TYPE_CHECKING, Any

import psycopg
from psycopg.errors import _WaitTimeout as WaitTimeout
from sqlalchemy import Engine, create_engine, text
from sqlalchemy.engine import make_url

if TYPE_CHECKING:
    from alembic.config import Config

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


def _config() -> "Config":
    from alembic.config import Config  # half a second at every start, and hardly ever needed

    config = Config()
    config.set_main_option("script_location", str(resources.files("tidybench.records") / "migrations"))
    return config


def newest_revision() -> str:
    """Of the migrations, which stand in the order of their names."""
    versions = resources.files("tidybench.records") / "migrations" / "versions"
    newest = max(one.name for one in versions.iterdir() if re.match(r"\d{4}_", one.name))
    found = re.search(r'^revision = "([^"]+)"$', (versions / newest).read_text("utf-8"), re.MULTILINE)
    assert found is not None
    return found[1]


def _is_up_to_date(engine: Engine) -> bool:
    with engine.connect() as connection:
        if connection.execute(text("SELECT to_regclass('alembic_version')")).scalar() is None:
            return False
        return connection.execute(text("SELECT version_num FROM alembic_version")).scalars().all() == [
            newest_revision()
        ]


def upgrade(engine: Engine, revision: str = "head") -> None:
    """Bring the tables to a revision; benches that share a server take turns."""
    if revision == "head" and _is_up_to_date(engine):
        return
    from alembic import command

    config = _config()
    with engine.begin() as connection:
        connection.execute(text("SELECT pg_advisory_xact_lock(847001)"))
        config.attributes["connection"] = connection
        command.upgrade(config, revision)


def downgrade(engine: Engine, revision: str = "base") -> None:
    """Take the tables back to a revision."""
    from alembic import command

    config = _config()
    with engine.begin() as connection:
        config.attributes["connection"] = connection
        command.downgrade(config, revision)
