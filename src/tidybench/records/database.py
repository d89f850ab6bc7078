"""The connection to PostgreSQL, and bringing its tables up to date."""

from importlib import resources

from alembic import command
from alembic.config import Config
from sqlalchemy import Engine, create_engine, text
from sqlalchemy.engine import make_url


def engine_for(url: str) -> Engine:
    """An engine that does not wait long for a server that is away."""
    parsed = make_url(url).set(drivername="postgresql+psycopg")
    return create_engine(parsed, pool_pre_ping=True, pool_size=4, connect_args={"connect_timeout": 3})


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
