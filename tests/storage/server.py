"""A real PostgreSQL server from the distribution's packages, on loopback, for the tests of a shared
library.
"""

import atexit
import os
import shutil
import socket
import subprocess
import tempfile
import unittest
from pathlib import Path

import psycopg

_running = {}


def _programs():
    found = shutil.which("initdb")
    places = [Path(found).parent] if found else []
    places += sorted(Path("/usr/lib/postgresql").glob("*/bin"), reverse=True)
    return next(
        (
            place
            for place in places
            if (place / "initdb").exists() and (place / "postgres").exists()
        ),
        None,
    )


def _start():
    programs = _programs()
    if programs is None:
        raise unittest.SkipTest(
            "PostgreSQL's server programs are not installed (package postgresql)"
        )
    folder = Path(tempfile.mkdtemp(prefix="olive-almanac-server-"))
    data, more = folder / "data", {}
    if os.getuid() == 0:  # the server refuses to run as root
        folder.chmod(0o711)
        data.mkdir()
        shutil.chown(data, "nobody", "nogroup")
        more = {"user": "nobody", "group": "nogroup"}
    with socket.socket() as free:
        free.bind(("127.0.0.1", 0))
        port = free.getsockname()[1]
    quiet = {"stdout": subprocess.DEVNULL, "stderr": subprocess.DEVNULL, "cwd": "/", **more}
    subprocess.run(
        [programs / "initdb", "-D", data, "-U", "shop", "-A", "trust", "--no-sync"],
        check=True,
        **quiet,
    )
    settings = (
        "-c",
        "listen_addresses=127.0.0.1",
        "-c",
        f"port={port}",
        "-c",
        "unix_socket_directories=",
    )
    server = subprocess.Popen([programs / "postgres", "-D", data, *settings], **quiet)

    def stop():
        server.terminate()
        server.wait(20)
        shutil.rmtree(folder, ignore_errors=True)

    atexit.register(stop)
    for _ in range(800):
        try:
            psycopg.connect(
                f"postgresql://shop@127.0.0.1:{port}/postgres", connect_timeout=1
            ).close()
            return f"postgresql://shop@127.0.0.1:{port}"
        except psycopg.OperationalError:
            if server.poll() is not None:
                raise unittest.SkipTest("PostgreSQL's server does not start here") from None
            _wait(0.05)
    raise unittest.SkipTest("PostgreSQL's server does not answer here")


def _wait(seconds):
    import time

    time.sleep(seconds)


def new_database(name: str) -> str:
    """Return the URL of an empty database of that name; starts the server at the first call.

    Raises SkipTest with the reason.
    """
    if "url" not in _running:
        try:
            _running["url"] = _start()
        except unittest.SkipTest as reason:
            _running["url"], _running["why"] = "", str(reason)
    if not _running["url"]:
        raise unittest.SkipTest(_running["why"])
    with psycopg.connect(f"{_running['url']}/postgres", autocommit=True) as connection:
        connection.execute(f'DROP DATABASE IF EXISTS "{name}" WITH (FORCE)')
        connection.execute(f'CREATE DATABASE "{name}"')
    return f"{_running['url']}/{name}"
