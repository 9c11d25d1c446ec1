"""Bringing the tables up to date."""

from pathlib import Path
from typing import TYPE_CHECKING

from sqlalchemy import create_engine, inspect, text

if TYPE_CHECKING:
    from alembic.config import Config

_MIGRATIONS = Path(__file__).parent / "migrations"


def migrate(url: str) -> None:
    """Bring the tables to the newest version."""
    if _version(url) == _newest():
        return
    from alembic import command  # takes a quarter of a second, which most starts can do without

    command.upgrade(alembic_config(url), "head")


def _version(url: str) -> str | None:
    """The version of the tables, as Alembic notes it there; ``None`` when there are none."""
    engine = create_engine(url)
    try:
        with engine.connect() as connection:
            if not inspect(connection).has_table("alembic_version"):
                return None
            version: str | None = connection.scalar(text("SELECT version_num FROM alembic_version"))
            return version
    finally:
        engine.dispose()


def _newest() -> str:
    """The newest version that there are migrations for: they are numbered, in their files' names too."""
    return max(file.name for file in (_MIGRATIONS / "versions").glob("v*.py"))[1:5]


def alembic_config(url: str) -> "Config":
    from alembic.config import Config

    config = Config()
    config.set_main_option("script_location", str(_MIGRATIONS))
    config.attributes["url"] = url
    return config
