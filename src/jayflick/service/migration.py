"""Bringing the tables up to date."""

from pathlib import Path

from alembic import command
from alembic.config import Config


def migrate(url: str) -> None:
    """Bring the tables to the newest version."""
    command.upgrade(alembic_config(url), "head")


def alembic_config(url: str) -> Config:
    config = Config()
    config.set_main_option("script_location", str(Path(__file__).parent / "migrations"))
    config.attributes["url"] = url
    return config
