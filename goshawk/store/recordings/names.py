"""How a recording is called for good, whatever its title."""

import secrets


def new_id() -> str:
    """A name for a recording that no other has."""
    return secrets.token_hex(6)
