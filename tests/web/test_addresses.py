"""Hearing by address: who may, and what a program gets."""

import asyncio
import io
import struct
import subprocess
from collections.abc import AsyncIterator
from pathlib import Path

import numpy as np
import pytest
import soundfile
from fastapi.testclient import TestClient

from goshawk.errors import BadInput, NotAllowed, NotFound, StoreUnusable
from goshawk.timeline.sound import SoundWriter
from goshawk.web import streams
from goshawk.web.access import MOST_HEARING, MOST_TOKENS
from goshawk.web.app import create_app
from goshawk.web.application import Application
from goshawk.web.streams import StreamFormat, StreamListener, in_time, stream
from tests.web.conftest import make_application
from tests.web.test_api import PAGE

HEAD_BYTES = 44
POINT = "listen:viewers"


class Feed:
    """What the audio process writes, and a program that reads it."""

    def __init__(self, application: Application, kind: StreamFormat) -> None:
        self.application = application
        self.writer = SoundWriter(application.engine.memory)
        self.writer.offer([POINT])
        self.end = asyncio.Event()
        self.pieces: AsyncIterator[bytes] = stream(application.points, "viewers", kind, self.end)
        self.got = b""

    async def open(self) -> None:
        self.got += await anext(self.pieces)

    def write(self, sound: np.ndarray) -> None:
        """As blocks of 256; ``pass_on`` has its turn after each."""
        for start in range(0, len(sound), 256):
            block = sound[start : start + 256]
            self.writer.write(POINT, block, 0)
            self.writer.finish(len(block))
            self.application.points.pass_on_once()

    async def read(self) -> None:
        self.got += await anext(self.pieces)

    async def close(self) -> None:
        self.end.set()
        assert [piece async for piece in self.pieces] == []


def numbered(start: int, count: int) -> np.ndarray:
    """Samples that say which they are."""
    left = np.arange(start, start + count, dtype=np.float32) / 2**20
    return np.stack([left, -left], axis=1)


def samples_of(wav: bytes) -> np.ndarray:
    return np.frombuffer(wav[HEAD_BYTES:], "<f4").reshape(-1, 2)


def test_a_stream_is_the_sound_frame_by_frame_and_keeps_time(application: Application) -> None:
    async def story() -> None:
        feed = Feed(application, "wav")
        await feed.open()
        feed.write(numbered(0, 2560))
        await feed.read()
        # What nobody made while the audio process was away is silence of the same length.
        feed.writer.finish(4800)
        feed.write(numbered(7360, 2560))
        await feed.read()
        await feed.close()
        form = struct.unpack_from("<HHIIHH", feed.got, 20)
        assert (feed.got[:4], feed.got[8:16]) == (b"RIFF", b"WAVEfmt ")
        assert form == (3, 2, 48_000, 384_000, 8, 32)
        expected = numbered(0, 9920)
        expected[2560:7360] = 0.0
        np.testing.assert_array_equal(samples_of(feed.got), expected)
        assert application.points._listeners == set(), "nobody listens any more"

    asyncio.run(story())


def test_a_program_that_goes_while_it_waits_leaves_nothing_behind(application: Application) -> None:
    async def story() -> None:
        feed = Feed(application, "wav")
        await feed.open()
        before = asyncio.all_tasks()
        reading = asyncio.create_task(feed.read())
        await asyncio.sleep(0)
        while len(asyncio.all_tasks()) < len(before) + 2:  # the read, and what it waits for
            await asyncio.sleep(0)
        reading.cancel()
        await asyncio.wait({reading})
        await asyncio.sleep(0)
        # What waits for the stream's end is gone too.
        assert asyncio.all_tasks() < before
        assert application.points._listeners == set()

    asyncio.run(story())


def test_a_program_that_does_not_take_its_sound_loses_what_is_old_and_keeps_time() -> None:
    listener = StreamListener()
    for number in range(100):
        listener.take(number * 4800, numbered(number * 4800, 4800))
    assert listener.lost_frames == 100 * 4800 - streams.LONGEST_WAIT_FRAMES
    pieces = asyncio.run(listener.next())
    sound, following = in_time(pieces, 0)
    assert following == 100 * 4800
    assert len(sound) == 100 * 4800
    assert not sound[: listener.lost_frames].any()
    np.testing.assert_array_equal(sound[-4800:], numbered(99 * 4800, 4800))
    # A gap of an hour is not an hour of silence.
    assert len(in_time(pieces[-1:], -3600 * 48_000)[0]) == 4800


@pytest.mark.parametrize(("kind", "off_db"), [("flac", -120.0), ("ogg", -25.0)])
def test_another_program_decodes_what_is_compressed(
    application: Application, kind: StreamFormat, off_db: float
) -> None:
    """FFmpeg is the judge; Opus is no exact copy, and needs its time."""
    n = np.arange(3 * 48_000)
    tone = (0.25 * np.sin(2 * np.pi * 440 * n / 48_000)).astype(np.float32)[:, None].repeat(2, 1)

    async def all_of_it() -> bytes:
        feed = Feed(application, kind)
        await feed.open()

        async def read() -> None:
            async for piece in feed.pieces:
                feed.got += piece

        reading = asyncio.create_task(read())
        for start in range(0, len(tone), 4800):
            feed.write(tone[start : start + 4800])
            await asyncio.sleep(0.02)
        feed.end.set()
        await reading
        return feed.got

    encoded = asyncio.run(all_of_it())
    decoded = subprocess.run(
        ["ffmpeg", "-v", "error", "-i", "-", "-f", "f32le", "-ac", "2", "-ar", "48000", "-"],
        input=encoded,
        capture_output=True,
        timeout=60,
    ).stdout
    heard = np.frombuffer(decoded, "<f4").reshape(-1, 2)
    assert len(heard) > 48_000
    off = heard[4800:40_000] - tone[4800:40_000]
    assert 10 * np.log10((off**2).mean() / (tone**2).mean() + 1e-15) < off_db


def test_tokens_open_are_kept_and_taken_back(tmp_path: Path) -> None:
    async def story() -> None:
        application = make_application(tmp_path)
        access = application.access
        token_id, token = await access.make("Broadcast")
        with access.hearing(token) as end:
            assert [(one.name, one.hearing) for one in access.listed()] == [("Broadcast", 1)]
            await access.note(token)
            assert access.listed()[0].used_at is not None
        for wrong in ("", token[:-1], f"{token}x", token_id):
            with pytest.raises(NotAllowed, match="valid token"), access.hearing(wrong):
                pass
        assert token.encode() not in b"".join(
            path.read_bytes() for path in tmp_path.glob("goshawk.db*")
        )
        application.store.connection.close()

        again = make_application(tmp_path)
        with again.access.hearing(token) as end:
            await again.access.take_back(token_id)
            assert end.is_set(), "who hears by it hears no more"
        with pytest.raises(NotAllowed), again.access.hearing(token):
            pass
        with pytest.raises(NotFound):
            await again.access.take_back(token_id)
        assert again.access.listed() == []
        again.store.connection.close()

    asyncio.run(story())


def test_what_cannot_be_saved_is_shut_all_the_same(application: Application) -> None:
    async def story() -> None:
        access = application.access
        token_id, token = await access.make("Player")

        async def full_disk(work: object) -> None:
            raise StoreUnusable("The disk is full.")

        has_room, application.store.do = application.store.do, full_disk
        with pytest.raises(StoreUnusable):
            await access.make("Another")
        assert [one.name for one in access.listed()] == ["Player"]
        with access.hearing(token) as end:
            await access.note(token)  # takes nothing from who hears
            with pytest.raises(StoreUnusable):
                await access.take_back(token_id)
            assert end.is_set()
        # It stays shut whatever is saved afterwards, and can be taken back again.
        application.store.do = has_room
        await access.make("Another")
        with pytest.raises(NotAllowed), access.hearing(token):
            pass
        assert [one.name for one in access.listed()] == ["Player", "Another"]
        await access.take_back(token_id)
        assert [one.name for one in access.listed()] == ["Another"]

    asyncio.run(story())


def test_a_token_that_is_taken_back_ends_its_event_stream(application: Application) -> None:
    """It went on for as long as the program listened."""

    async def story() -> None:
        token_id, token = await application.access.make("key pad")
        told = asyncio.create_task(application.other_programs.tell_on())
        with application.access.hearing(token) as end:
            events = application.other_programs.events(end)
            assert (await anext(events)).startswith("event: watch")
            await application.access.take_back(token_id)
            with pytest.raises(StopAsyncIteration):
                async with asyncio.timeout(5.0):
                    await anext(events)
        told.cancel()

    asyncio.run(story())


def test_there_is_a_limit_to_tokens_and_to_who_hears(application: Application) -> None:
    async def story() -> None:
        access = application.access
        token = ""
        for number in range(MOST_TOKENS):
            _, token = await access.make(f"program {number}")
        with pytest.raises(BadInput, match="Take one back"):
            await access.make("one more")
        hearing = [access.hearing(token) for _ in range(MOST_HEARING)]
        ends = [one.__enter__() for one in hearing]
        with pytest.raises(BadInput, match="End one"), access.hearing(None):
            pass
        access.end_all()
        assert all(end.is_set() for end in ends)
        for one in hearing:
            one.__exit__(None, None, None)
        with access.hearing(None):
            pass

    asyncio.run(story())


def test_neither_foreign_pages_nor_programs_without_a_token_hear(tmp_path: Path) -> None:
    app = create_app(tmp_path)
    app.router.lifespan_context = None  # type: ignore[assignment]
    application = make_application(tmp_path / "own")
    app.state.application = application
    client = TestClient(app, base_url="http://127.0.0.1:8610", headers=PAGE)
    made = client.post("/api/addresses", json={"name": "Broadcast"}).json()
    path, token = "/api/feeds/viewers/stream.wav", made["token"]
    own = {"sec-fetch-site": "same-origin"}
    foreign = {"sec-fetch-site": "cross-site", "origin": "http://elsewhere.example"}
    for headers, query, status in (
        ({}, "", 401),
        ({}, "?token=wrong", 401),
        ({"authorization": "Bearer wrong"}, "", 401),
        (foreign, f"?token={token}", 403),
        ({"host": "192.168.1.5:8610"}, f"?token={token}", 403),
        ({}, f"?token={token}", 200),
        ({"authorization": f"Bearer {token}"}, "", 200),
        (own, "", 200),
    ):
        reply = client.head(f"{path}{query}", headers=headers)
        assert reply.status_code == status, (headers, query)
    assert client.get(path).json()["detail"].startswith("This address needs a valid token")
    assert [one.hearing for one in application.access.listed()] == [0], "who asked has not heard"
    assert client.head(f"/api/inputs/nobody/stream.wav?token={token}").status_code == 404
    assert client.head("/api/inputs/nobody/stream.wav").status_code == 401
    assert client.head(f"/api/feeds/viewers/stream.mp3?token={token}").status_code == 422
    assert client.head(f"/api/inputs/game/stream.flac?token={token}").status_code == 200
    assert client.post("/api/addresses", json={"name": "two\nlines"}).status_code == 422
    with client.websocket_connect(
        "ws://127.0.0.1:8610/api/listen?what=viewers&token=wrong"
    ) as link:
        closed = link.receive()
        assert (closed["type"], closed["code"]) == ("websocket.close", 1008)
        assert "valid token" in closed["reason"]
    assert client.delete(f"/api/addresses/{made['id']}").status_code == 204
    assert client.head(f"{path}?token={token}").status_code == 401
    application.store.connection.close()


def test_what_a_browser_decodes_too_is_a_file_like_any_other(application: Application) -> None:
    """Libsndfile reads an endless WAV as well."""

    async def story() -> bytes:
        feed = Feed(application, "wav")
        await feed.open()
        feed.write(numbered(0, 4800))
        await feed.read()
        await feed.close()
        return feed.got

    sound, rate_hz = soundfile.read(io.BytesIO(asyncio.run(story())), dtype="float32")
    assert rate_hz == 48_000
    np.testing.assert_array_equal(sound, numbered(0, 4800))
