"""The command line as tests call it."""

from collections.abc import Callable

import pytest

from jayflick.cli import main

Run = Callable[..., tuple[int, str, str]]
"""Runs one command; returns its exit status, what it printed and what it complained of."""


@pytest.fixture
def run(capsys: pytest.CaptureFixture[str]) -> Run:
    def call(*arguments: object) -> tuple[int, str, str]:
        status = main([str(argument) for argument in arguments])
        out, err = capsys.readouterr()
        return status, out, err

    return call
