"""What ./start --dev runs: client and service, built and started again after each change of their sources."""

import shlex
import subprocess
import sys
import time
from pathlib import Path

from watchfiles import Change, DefaultFilter, run_process

from ..core.errors import JayFlickError

_WEB = Path("web").resolve()
_INDEX = _WEB / "dist" / "index.html"
"""Built last, and anew after every change of the client: it names the files that belong together."""
_BUILD = (
    "node_modules/.bin/vite",
    "build",
    "--watch",
    "--mode",
    "development",
    "--sourcemap",
    "--minify",
    "false",
)
_STOPPING = 30


class _Sources(DefaultFilter):
    """What the service reads when it starts."""

    def __call__(self, change: Change, path: str) -> bool:
        if path == str(_INDEX):
            return change is not Change.deleted  # while it is built it is not there
        return path.endswith((".py", ".json")) and super().__call__(change, path)


def serve_again(arguments: list[str]) -> None:
    """Serve as ``arguments`` say, anew after each change, until SIGINT or SIGTERM."""
    _INDEX.unlink(missing_ok=True)
    with subprocess.Popen(_BUILD, cwd=_WEB, stdin=subprocess.DEVNULL, stdout=subprocess.DEVNULL) as builder:
        try:
            while not _INDEX.exists():
                if builder.poll() is not None:
                    raise JayFlickError("the web client cannot be built", remedy="see 'npm run check' in web/")
                time.sleep(0.05)
            run_process(
                Path(__file__).parents[1],
                _INDEX.parent,
                target=shlex.join((sys.executable, "-m", "jayflick.service", *arguments)),
                target_type="command",
                watch_filter=_Sources(),
                callback=_tell,
                sigint_timeout=_STOPPING,
            )
        finally:
            builder.terminate()


def _tell(changes: set[tuple[Change, str]]) -> None:
    print("changed:", ", ".join(sorted({Path(path).name for _, path in changes})), flush=True)
