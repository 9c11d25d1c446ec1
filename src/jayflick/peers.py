"""Whose the other end of a loopback connection is, as the kernel says.

Source: proc(5), /proc/net/tcp; the Linux kernel's Documentation/networking/proc_net_tcp.rst.
"""

import os
import socket
import struct
from collections.abc import Callable
from functools import cached_property
from pathlib import Path

TABLE = Path("/proc/net/tcp")
Address = tuple[str, int]


class Peer(tuple[str, int]):
    """The far address of a connection, which also knows whose it is: asked once for a connection."""

    near: Address

    @classmethod
    def of(cls, far: Address, near: Address) -> "Peer":
        """``far``: whoever has connected; ``near``: our end."""
        peer = cls(far)
        peer.near = near
        return peer

    @cached_property
    def user(self) -> int | None:
        """See :func:`user_of`."""
        return user_of((self[0], self[1]), self.near)


def own_users() -> frozenset[int]:
    """Who may use what this process serves: whoever runs it, and root."""
    return frozenset({os.geteuid(), 0})


def user_of(near: Address, far: Address, read: Callable[[], bytes] = TABLE.read_bytes) -> int | None:
    """The user of a TCP connection's end at ``near``, whose other end is ``far``; IPv4.

    ``None`` when the kernel does not say: it has no such connection, or whoever had it let go of it (and would
    be taken for root otherwise).
    """
    try:
        ends = f" {_written(near)} {_written(far)} ".encode()
        table = read()
    except OSError:
        return None
    at = table.find(ends)
    if at < 0:
        return None
    fields = table[at : table.find(b"\n", at)].split()
    if len(fields) < 9 or fields[8] == b"0":  # the inode of its socket
        return None
    return int(fields[6])


def _written(address: Address) -> str:
    """An address as the table has it: the four bytes as a number of this machine, then the port."""
    (number,) = struct.unpack("=I", socket.inet_aton(address[0]))
    return f"{number:08X}:{address[1]:04X}"


def kernel_tells() -> bool:
    """Whether the kernel says whose a connection is: tried on one of our own."""
    listening = socket.create_server(("127.0.0.1", 0))
    with listening, socket.create_connection(listening.getsockname()) as near:
        return user_of(near.getsockname(), near.getpeername()) == os.geteuid()
