"""Start Goshawk with the user's session: a user service of systemd, which Linux desktops have."""

import shutil
import subprocess
import sys
from pathlib import Path

import platformdirs

from goshawk.errors import GoshawkError

SERVICE = "goshawk.service"
_UNIT = """[Unit]
Description=Goshawk: microphone chain and gain staging
After=pipewire.service pulseaudio.service

[Service]
ExecStart={command}
Restart=on-failure
RestartSec=5

[Install]
WantedBy=default.target
"""


class NoAutostart(GoshawkError):
    """This computer has no user services, or refuses them."""


def unit_path() -> Path:
    """Where the service is described."""
    return platformdirs.user_config_path() / "systemd" / "user" / SERVICE


def _quoted(part: str) -> str:
    """As systemd reads a word of a command."""
    escaped = part.replace("\\", "\\\\").replace('"', '\\"').replace("%", "%%").replace("$", "$$")
    return f'"{escaped}"'


def _systemctl(*arguments: str) -> None:
    program = shutil.which("systemctl") if sys.platform == "linux" else None
    if program is None:
        raise NoAutostart(
            "This computer has no user services that Goshawk knows. Put `goshawk serve` among the programs that your desktop starts."
        )
    done = subprocess.run(
        [program, "--user", *arguments], capture_output=True, text=True, check=False, timeout=30
    )
    if done.returncode:
        said = (done.stderr or done.stdout).strip().splitlines()
        raise NoAutostart(
            f"The service could not be set up: {said[-1] if said else 'no reason was given'}."
        )


def switch_on() -> Path:
    """Have `goshawk serve` started with every session, and now. Where it is described. Raises NoAutostart; nothing stays then."""
    path = unit_path()
    before = path.read_text() if path.exists() else None
    command = " ".join(
        map(_quoted, (sys.executable, "-m", "goshawk.cli.main", "serve", "--no-open"))
    )
    try:
        path.parent.mkdir(parents=True, exist_ok=True)
        path.write_text(_UNIT.format(command=command))
        _systemctl("daemon-reload")
        _systemctl("enable", "--now", SERVICE)
    except (OSError, subprocess.TimeoutExpired, NoAutostart) as error:
        if before is None:
            path.unlink(missing_ok=True)
        else:
            path.write_text(before)
        if isinstance(error, NoAutostart):
            raise
        raise NoAutostart(f"The service could not be set up: {error}.") from None
    return path


def switch_off() -> bool:
    """End it, and start it no more. Whether there was one. Raises NoAutostart."""
    path = unit_path()
    if not path.exists():
        return False
    try:
        _systemctl("disable", "--now", SERVICE)
        path.unlink()
        _systemctl("daemon-reload")
    except (OSError, subprocess.TimeoutExpired) as error:
        raise NoAutostart(f"The service could not be taken away: {error}.") from None
    return True
