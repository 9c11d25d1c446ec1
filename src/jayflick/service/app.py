"""The application: its parts, routes and errors, and the built web client."""

import asyncio
import shutil
from collections.abc import AsyncIterator
from contextlib import asynccontextmanager

from fastapi import FastAPI, Response
from fastapi.responses import FileResponse, JSONResponse, RedirectResponse
from starlette.concurrency import run_in_threadpool

from .. import __version__
from ..core.atomic import sweep
from ..loopback import Guard
from ..peers import own_users
from . import handoffs
from .batching import Batching
from .bounds import MOST_DOCUMENT, Patience
from .described import describe
from .following import Following
from .guard import HEADERS, refused
from .keeping import Keeping
from .leftovers import Leftovers, Sweeper
from .parts import FOR_EVER, Service
from .problems import tell_problems
from .routes import router
from .schemas.document import Problem
from .settings import Settings


def create_app(settings: Settings) -> FastAPI:
    """The whole service. Its job runner works while the application's lifespan lasts."""
    service = Service(settings)
    leftovers = Leftovers(service.sessions, service.store, service.stages, settings.most_stage_bytes)
    following = Following(service)
    keeping = Keeping(service)
    batching = Batching(service)
    sweeper = Sweeper(leftovers, settings.sweep_seconds)

    @asynccontextmanager
    async def lifespan(app: FastAPI) -> AsyncIterator[None]:
        for folder in (settings.store, settings.stages):
            sweep(folder)
        shutil.rmtree(settings.growing, ignore_errors=True)
        if settings.handoff is not None:
            service.transact(handoffs.remember_recovered, settings.handoff)
        service.hub.attach(asyncio.get_running_loop())
        service.jobs.start()
        service.planner.start()
        service.searches.start()
        service.decoders.start()
        service.deliveries.start()
        following.start()
        keeping.start()
        if settings.standins:
            service.standins.start()
        batching.start()
        service.demo.start()
        sweeper.start()
        yield
        service.interrupt()
        following.interrupt()
        await run_in_threadpool(service.demo.stop)
        await run_in_threadpool(sweeper.stop)
        await run_in_threadpool(following.stop)
        await run_in_threadpool(keeping.stop)
        await run_in_threadpool(batching.stop)
        await run_in_threadpool(service.planner.stop)
        await run_in_threadpool(service.searches.stop)
        await run_in_threadpool(service.jobs.stop)
        await run_in_threadpool(service.deliveries.stop)
        await run_in_threadpool(service.standins.stop)
        service.engine.dispose()

    app = FastAPI(
        title="Jay Flick",
        version=__version__,
        lifespan=lifespan,
        docs_url=None,
        redoc_url=None,
        openapi_url="/api/openapi.json",
        max_body_size=MOST_DOCUMENT,
        generate_unique_id_function=lambda route: route.name,
        responses={
            404: {"model": Problem},
            408: {"model": Problem},
            409: {"model": Problem},
            413: {"model": Problem},
            422: {"model": Problem},
            503: {"model": Problem},
            507: {"model": Problem},
        },
    )
    app.state.service = service
    app.state.following = following
    app.state.batching = batching
    app.include_router(router)
    app.add_middleware(Patience)
    users = None if settings.share else own_users()
    app.add_middleware(Guard, headers=HEADERS, refused=refused, users=users)
    tell_problems(app)
    describe(app)
    app.add_api_route("/openapi.json", lambda: RedirectResponse("/api/openapi.json"), include_in_schema=False)
    _serve_client(app, settings)
    return app


def _serve_client(app: FastAPI, settings: Settings) -> None:
    """The built client's files; every other address is the client's own to interpret."""
    root = settings.web.resolve()
    # No address is ever looked for on the disk, whatever it may look like there.
    files = {file.relative_to(root).as_posix(): file for file in root.rglob("*") if file.is_file()}
    index = files.get("index.html")

    @app.get("/{path:path}", include_in_schema=False)
    def client(path: str) -> Response:
        file = files.get(path, index)
        if file is None:
            return JSONResponse({"kind": "http", "message": "the web client is not built"}, 404)
        caching = FOR_EVER if path.startswith("assets/") and file is not index else "no-cache"
        return FileResponse(file, headers={"cache-control": caching})
