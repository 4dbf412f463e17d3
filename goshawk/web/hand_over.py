"""Making files for others, in a process of its own: the command line does it, as anybody can."""

import asyncio
import contextlib
import json
import shutil
import sys
from collections.abc import Iterator
from pathlib import Path
from typing import Literal
from urllib.parse import quote

from pydantic import BaseModel
from zipstream import ZipStream  # type: ignore[import-untyped]

from goshawk.bus import Bus
from goshawk.core.recording.document import Recording
from goshawk.errors import BadInput, NotFound
from goshawk.store.recordings.exporting import span_of
from goshawk.store.work_folder import WorkFolder
from goshawk.supervisor import Supervisor
from goshawk.system.ending import kill
from goshawk.web.events import StateChanged
from goshawk.web.rig_desk import RigDesk

LONGEST_SAID = 600


class HandOver(BaseModel):
    """How far the files for others are."""

    stage: Literal["none", "working", "done", "failed"] = "none"
    recording: str = ""
    share: float = 0.0
    said: str = ""
    files: list[str] = []


class HandOverDesk:
    """One at a time; what was made before goes when another is begun, and with the program."""

    def __init__(self, work: WorkFolder, desk: RigDesk, supervisor: Supervisor, bus: Bus) -> None:
        self._work, self._desk, self._supervisor, self._bus = work, desk, supervisor, bus
        self._process: asyncio.subprocess.Process | None = None
        self._folder: Path | None = None
        self.state = HandOver()

    async def begin(
        self,
        folder: Path,
        recording: Recording,
        what: str,
        file_format: str,
        from_s: float,
        to_s: float | None,
    ) -> HandOver:
        """Start to make them. Raises BadInput."""
        if self.state.stage == "working":
            raise BadInput("Files are being made already. Wait for them, or break it off.")
        span_of(recording, from_s, to_s)
        await self.clear()
        target = self._work.fresh()
        rig_path = target / "rig.json"
        rig_path.write_text(self._desk.rig.model_dump_json(), encoding="utf-8")
        out = target / folder.name
        self._folder = target
        arguments = [
            "recordings", "export", str(folder), "--out", str(out), "--format", file_format,
            "--from", str(from_s), "--rig", str(rig_path), "--progress",
        ]  # fmt: skip
        if to_s is not None:
            arguments += ["--to", str(to_s)]
        if what == "mix":
            arguments.append("--mix")
        self._process = await asyncio.create_subprocess_exec(
            sys.executable, "-m", "goshawk.cli.main", *arguments,
            stdin=asyncio.subprocess.DEVNULL,
            stdout=asyncio.subprocess.PIPE,
            stderr=asyncio.subprocess.PIPE,
        )  # fmt: skip
        self.state = HandOver(stage="working", recording=recording.id)
        self._supervisor.once("making files for others", self._follow(self._process, out))
        return self.state

    async def _follow(self, process: asyncio.subprocess.Process, out: Path) -> None:
        assert process.stdout
        assert process.stderr
        async for line in process.stdout:
            with contextlib.suppress(ValueError, TypeError, KeyError):
                share = float(json.loads(line)["share"])
                self.state = self.state.model_copy(update={"share": share})
        said = (await process.stderr.read(LONGEST_SAID)).decode(errors="replace").strip()
        code = await process.wait()
        if process is not self._process:
            return
        if code:
            text = said.removeprefix("goshawk: ") or "The files could not be made."
            self.state = self.state.model_copy(update={"stage": "failed", "said": text})
        else:
            files = sorted(one.name for one in out.iterdir())
            self.state = self.state.model_copy(
                update={"stage": "done", "share": 1.0, "files": files}
            )
        self._bus.publish(StateChanged())

    async def clear(self) -> None:
        """Break off what is made, and throw away what was."""
        process, self._process = self._process, None
        if process and process.returncode is None:
            await kill(process)
        folder, self._folder = self._folder, None
        if folder:
            await asyncio.to_thread(shutil.rmtree, folder, True)
        self.state = HandOver()

    def zipped(self) -> tuple[str, int, Iterator[bytes]]:
        """A name, the size, and the files as one archive, made while it is read. Raises NotFound."""
        if self.state.stage != "done" or self._folder is None:
            raise NotFound("There are no files yet. Have them made first.")
        (inside,) = [one for one in self._folder.iterdir() if one.is_dir()]
        # Sound does not become smaller by it.
        archive = ZipStream.from_path(inside, sized=True)
        return quote(f"{inside.name}.zip"), len(archive), iter(archive)
