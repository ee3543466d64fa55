"""The application: routers, guard, errors in words, the live socket and the built front end."""

from __future__ import annotations

import asyncio
import json
import math
from collections.abc import AsyncIterator
from contextlib import asynccontextmanager, suppress
from pathlib import Path
from typing import Any

from fastapi import FastAPI, Request, WebSocket, WebSocketDisconnect
from fastapi.encoders import jsonable_encoder
from fastapi.exceptions import RequestValidationError
from fastapi.responses import FileResponse, JSONResponse, Response
from fastapi.staticfiles import StaticFiles

import hailridge.core  # noqa: F401  (loads the registry before any document is read)
from hailridge import __version__
from hailridge.core.scene.assets import MissingAsset
from hailridge.model.validation import DocumentError
from hailridge.store.claim import Claim
from hailridge.store.errors import StorageError
from hailridge.store.library import Conflict, NotFound, NotYet
from hailridge.store.room import full_in_words
from hailridge.web import (
    assets,
    charts,
    clips,
    costs,
    counting,
    effects,
    exchanging,
    formulas,
    looking,
    measuring,
    pictures,
    reference,
    searching,
    storage,
    tables,
    touching,
    trials,
    uploads,
)
from hailridge.web.context import FRONT_END, Context
from hailridge.web.security import LOCAL, Guard

CONTENT_POLICY = "default-src 'self'; img-src 'self' blob: data:; style-src 'self' 'unsafe-inline'; worker-src 'self' blob:; frame-ancestors 'none'"

PAGE_HEADERS = {"Content-Security-Policy": CONTENT_POLICY, "Cache-Control": "no-cache", "Referrer-Policy": "no-referrer"}


def create_app(
    folder: Path, workers: int = 2, hosts: frozenset[str] = frozenset(LOCAL), token: str | None = None, any_address: bool = False,
    claim: Claim | None = None,
) -> FastAPI:
    """The whole application over a data folder; see `security.Guard` for `hosts`, `token` and `any_address`."""

    @asynccontextmanager
    async def lifespan(app: FastAPI) -> AsyncIterator[None]:
        app.state.context = context = Context(folder, workers, claim)
        context.live.loop = asyncio.get_running_loop()
        try:
            # Told to stop before it has quite begun, the server cancels what would wait for its end.
            with suppress(asyncio.CancelledError):
                yield
        finally:
            context.close()

    app = FastAPI(title="Hailridge", version=__version__, lifespan=lifespan, docs_url=None, redoc_url=None)
    app.add_middleware(Guard, hosts=hosts, token=token, any_address=any_address)
    asked = (looking, counting, formulas, tables, searching, touching, measuring, charts, costs)
    for module in (reference, effects, exchanging, trials, *asked, assets, pictures, uploads, clips, storage):
        app.include_router(module.router)
    _translate_errors(app)
    app.websocket("/api/live")(live)
    _serve_front_end(app)
    return app


def _translate_errors(app: FastAPI) -> None:
    """Errors of the layers below, as status and words."""

    @app.exception_handler(DocumentError)
    async def document(request: Request, error: DocumentError) -> JSONResponse:
        problems = [problem.as_dict() for problem in error.problems]
        return JSONResponse({"detail": str(error), "problems": problems}, 422)

    @app.exception_handler(Conflict)
    async def conflict(request: Request, error: Conflict) -> JSONResponse:
        return JSONResponse({"detail": str(error), "revision": error.theirs}, 409)

    @app.exception_handler(NotYet)
    async def not_yet(request: Request, error: NotYet) -> JSONResponse:
        # No error of the page's: it asks again when there is news.
        return JSONResponse({"detail": str(error)}, 202)

    @app.exception_handler(NotFound)
    async def missing(request: Request, error: NotFound) -> JSONResponse:
        return JSONResponse({"detail": str(error)}, 404)

    @app.exception_handler(MissingAsset)
    async def asset(request: Request, error: MissingAsset) -> JSONResponse:
        return JSONResponse({"detail": f"'{error}' is not in the library"}, 404)

    @app.exception_handler(StorageError)
    async def storage(request: Request, error: StorageError) -> JSONResponse:
        return JSONResponse({"detail": str(error)}, 507 if error.full else 503)

    @app.exception_handler(OSError)
    async def disk(request: Request, error: OSError) -> JSONResponse:
        told = full_in_words(error)
        if told is None:
            raise error
        return JSONResponse({"detail": str(told)}, 507)

    @app.exception_handler(RequestValidationError)
    async def request(request: Request, error: RequestValidationError) -> Response:
        # What was given comes along in the answer, and need not be text that can be sent.
        odd: dict[Any, Any] = {
            bytes: lambda given: given.decode(errors="replace"), float: lambda given: given if math.isfinite(given) else str(given)
        }  # fmt: skip
        told = jsonable_encoder(error.errors(), custom_encoder=odd)
        return Response(json.dumps({"detail": told}), 422, media_type="application/json")

    @app.exception_handler(UnicodeEncodeError)
    async def no_text(request: Request, error: UnicodeEncodeError) -> JSONResponse:
        return JSONResponse({"detail": "the request holds characters that are no text (half of a surrogate pair)"}, 422)

    @app.exception_handler(OverflowError)
    async def too_large(request: Request, error: OverflowError) -> JSONResponse:
        return JSONResponse({"detail": "the request holds a number that is too large"}, 422)


async def live(socket: WebSocket) -> None:
    """News for one page: progress of runs, saves by other tabs, new pictures."""
    await socket.accept()
    context: Context = socket.app.state.context
    queue: asyncio.Queue[str] = asyncio.Queue()
    context.live.queues.add(queue)

    async def send() -> None:
        while True:
            await socket.send_text(await queue.get())

    sender = asyncio.create_task(send())
    try:
        while True:
            await socket.receive_text()
    except WebSocketDisconnect:
        pass
    finally:
        sender.cancel()
        context.live.queues.discard(queue)


def _serve_front_end(app: FastAPI) -> None:
    if not (FRONT_END / "index.html").is_file():

        @app.get("/", include_in_schema=False)
        async def not_built() -> dict[str, Any]:
            return {"detail": "the front end is not built yet: run ./run setup"}

        return
    for folder in ("assets", "kinds"):
        app.mount(f"/{folder}", StaticFiles(directory=FRONT_END / folder))

    @app.get("/{path:path}", include_in_schema=False)
    async def page(path: str) -> Response:
        if path.startswith("api/"):
            return JSONResponse({"detail": f"there is no '/{path}'"}, 404)
        return FileResponse(FRONT_END / "index.html", headers=PAGE_HEADERS)
