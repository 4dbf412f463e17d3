"""What several commands share: errors as one sentence, and the switch for programs."""

from collections.abc import Iterator
from contextlib import contextmanager
from typing import Annotated

import typer

from goshawk.errors import GoshawkError

JsonFlag = Annotated[bool, typer.Option("--json", help="Print JSON for programs.")]


def fail(sentence: str) -> typer.Exit:
    """Say what is wrong on stderr; raise what is returned."""
    typer.echo(f"goshawk: {sentence}", err=True)
    return typer.Exit(2)


@contextmanager
def plain_errors() -> Iterator[None]:
    """Turn our own errors into one sentence and exit code 2."""
    try:
        yield
    except GoshawkError as error:
        raise fail(str(error)) from None
