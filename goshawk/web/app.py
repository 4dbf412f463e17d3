"""Assembles the application."""

import os
from collections.abc import AsyncIterator
from contextlib import asynccontextmanager
from pathlib import Path
from typing import Any

from fastapi import FastAPI
from fastapi.openapi.utils import get_openapi
from fastapi.responses import FileResponse
from fastapi.staticfiles import StaticFiles
from pydantic import TypeAdapter
from pydantic.json_schema import models_json_schema
from starlette.types import Scope

from goshawk import __version__
from goshawk.engine.spawn import Spawned
from goshawk.page_messages.live import FROM_SERVER, FromPage
from goshawk.paths import FRONTEND_DIR
from goshawk.store.database import Opened, database_path, open_database
from goshawk.store.ownership import Ownership, take
from goshawk.timeline.memory import TEST_CLOCK
from goshawk.web.application import Application
from goshawk.web.errors import add_error_handlers
from goshawk.web.facts import colors, facts
from goshawk.web.guard import BodyLimit, Guard
from goshawk.web.routes import (
    addresses,
    audio,
    live,
    presets,
    recordings,
    rig,
    sound_check,
    sound_files,
    test_clock,
    watch,
)


class _Page(StaticFiles):
    """The built front end. Its files carry their hash in their name; the page itself is asked anew."""

    async def get_response(self, path: str, scope: Scope) -> Any:
        response = await super().get_response(path, scope)
        fixed = path.startswith("assets/")
        response.headers["Cache-Control"] = "max-age=31536000, immutable" if fixed else "no-cache"
        return response


def create_app(
    data_dir: Path,
    opened: Opened | None = None,
    frontend_dir: Path = FRONTEND_DIR,
    ownership: Ownership | None = None,
    spawned: Spawned | None = None,
    recordings_dir: Path | None = None,
) -> FastAPI:
    """The application on one folder of saved things; it is owned, and its database opened, if that has not been done.
    Raises StoreUnusable when it starts."""

    @asynccontextmanager
    async def lifespan(app: FastAPI) -> AsyncIterator[None]:
        owned = ownership or take(data_dir)
        try:
            database = opened or open_database(database_path(data_dir))
            application = Application(data_dir, database, spawned, recordings_dir)
            app.state.application = application
            await application.start()
            try:
                yield
            finally:
                await application.stop()
        finally:
            owned.release()

    app = FastAPI(
        title="Goshawk", version=__version__, lifespan=lifespan, docs_url=None, redoc_url=None
    )
    add_error_handlers(app)
    for module in (
        rig,
        presets,
        sound_files,
        sound_check,
        recordings,
        watch,
        live,
        audio,
        addresses,
    ):
        app.include_router(module.router)
    if os.environ.get(TEST_CLOCK):
        app.include_router(test_clock.router, include_in_schema=False)
    if frontend_dir.is_dir():

        @app.get("/small", include_in_schema=False)
        async def small_page() -> FileResponse:
            """The small window for a corner of the screen."""
            return FileResponse(frontend_dir / "small.html", headers={"Cache-Control": "no-cache"})

        @app.get("/listen/{what:path}", include_in_schema=False)
        async def bare_page(what: str) -> FileResponse:
            """The page that plays one thing; what that is, it reads from its own address."""
            return FileResponse(frontend_dir / "listen.html", headers={"Cache-Control": "no-cache"})

        app.mount("/", _Page(directory=frontend_dir, html=True))
    app.add_middleware(BodyLimit)
    app.add_middleware(Guard)
    app.openapi = lambda: openapi_document(app)  # type: ignore[method-assign]
    return app


def openapi_document(app: FastAPI) -> dict[str, Any]:
    """The HTTP interface and, among its schemas, the messages of the live link."""
    document = get_openapi(title=app.title, version=app.version, routes=app.routes)
    schemas = document["components"]["schemas"]
    template = "#/components/schemas/{model}"
    # Validation and serialisation must be one shape: what the server sends has every field.
    _, definitions = models_json_schema(
        [(model, "serialization") for model in FROM_SERVER], ref_template=template
    )
    schemas.update(definitions.get("$defs", {}))
    asked = TypeAdapter(FromPage).json_schema(ref_template=template)
    schemas.update(asked.pop("$defs"))
    schemas["FromPage"] = asked
    document["x-facts"] = facts()
    document["x-colors"] = colors()
    return document
