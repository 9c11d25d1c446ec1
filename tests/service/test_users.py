"""Another user of the machine is not answered; who started it, and root, are."""

import os
import socket
import subprocess
import sys
from pathlib import Path

import httpx
import pytest

from jayflick.peers import Peer, kernel_tells, own_users, user_of
from tests.conftest import moving_square
from tests.server import Server, until
from tests.service.conftest import project_of

NOBODY = 65534
ASK = r"""
exec 3<>"/dev/tcp/$1/$2"
printf '%s %s HTTP/1.1\r\nhost: %s:%s\r\nconnection: close\r\ncontent-length: 0\r\n\r\n' "$3" "$4" "$1" "$2" >&3
"""
AND_READ = ASK + "cat <&3"
"""By the shell that every Debian has. Who does not read is gone before it is answered."""
as_root = pytest.mark.skipif(os.geteuid() != 0, reason="only root can be another user as well")


def somebody_else(program: str, base: str, method: str, path: str) -> str:
    """What another user is answered."""
    url = httpx.URL(base)
    words = ["bash", "-c", program, "ask", url.host, str(url.port), method, path]
    done = subprocess.run(words, user=NOBODY, capture_output=True, text=True, timeout=60, cwd="/", check=True)
    return done.stdout


def asked(base: str, method: str, path: str) -> tuple[int, str]:
    answer = somebody_else(AND_READ, base, method, path)
    return int(answer.split()[1]), answer


@as_root
def test_another_user_is_refused_whatever_they_ask_and_the_one_who_started_it_is_not(tmp_path: Path) -> None:
    server = Server(tmp_path, standins=True, forked=True).start("--no-demo")
    try:
        with server.client() as client:
            kept = f"/api/projects/{project_of(client, moving_square(2))}"
            for method, path in (("GET", "/"), ("GET", "/api/projects"), ("DELETE", kept)):
                status, body = asked(server.base, method, path)
                assert status == 403
                assert "this Jay Flick is another user's" in body
                assert "./start --share" in body
            somebody_else(ASK, server.base, "DELETE", kept)
            assert client.get(kept).raise_for_status().json()["revision"]  # it is there still
            places = until(
                lambda: [one for one in client.get("/api/standins").json() if one["state"] == "ready"]
            )
            status, body = asked(places[0]["url"], "GET", "/api/status")
            assert (status, "another user's" in body) == (403, True)
    finally:
        server.stop()
    shared = Server(tmp_path).start("--no-demo", "--share")
    try:
        assert asked(shared.base, "GET", "/api/projects")[0] == 200
    finally:
        shared.stop()


def test_the_kernel_is_asked_about_the_right_end_and_who_let_go_is_nobody() -> None:
    assert kernel_tells()
    assert os.geteuid() in own_users()
    listening = socket.create_server(("127.0.0.1", 0))
    with listening, socket.create_connection(listening.getsockname()) as near:
        far, address = listening.accept()
        with far:
            peer = Peer.of(address, far.getsockname())
            assert peer == address
            assert peer.user == os.geteuid()
            assert user_of(address, ("127.0.0.1", 1)) is None
            near.close()
            assert user_of(address, far.getsockname()) is None, "it would be taken for root"
    row = " 0: 0100007F:1F90 0100007F:2026 01 00000000:00000000 00:00000000 00000000  1000 0 {} 1 0 20 4\n"
    ends = ("127.0.0.1", 0x1F90), ("127.0.0.1", 0x2026)
    if sys.byteorder == "little":
        assert user_of(*ends, read=lambda: row.format(4711).encode()) == 1000
        assert user_of(*ends, read=lambda: row.format(0).encode()) is None
        assert user_of(ends[1], ends[0], read=lambda: row.format(4711).encode()) is None


def test_a_system_that_does_not_say_is_noticed(monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setattr("jayflick.peers.user_of", lambda near, far: None)
    assert not kernel_tells()
