"""A real serial line to a controller, behind the same few calls as the stand-in's wire."""

from __future__ import annotations

import errno
import os
import threading

from olive_almanac.core.errors import CannotWrite
from olive_almanac.core.words import tr

__all__ = ["SerialWire"]

CLOSES_WITHIN_S = 0.5


class SerialWire:
    """A serial port of its own, opened without waiting in either direction.

    Raises CannotWrite where it cannot be opened.
    """

    def __init__(self, port: str, baud: int) -> None:
        import serial

        try:
            self._line = serial.Serial(port, baud, timeout=0, write_timeout=0, exclusive=True)
        except (OSError, ValueError) as problem:
            raise CannotWrite(
                tr(
                    "The port {port} cannot be opened: {problem}. Check the cable, the name of "
                    "the port, and that no other program uses it.",
                    port=port,
                    problem=problem,
                )
            ) from problem

    def write(self, data: bytes) -> int:
        """Send what the port takes now; returns how many bytes that was.

        Raises OSError when the line is gone.
        """
        try:
            return os.write(self._line.fileno(), data)
        except BlockingIOError:  # full; the library's own write would ask again without end
            return 0

    def read(self) -> bytes:
        """Return what has arrived, b"" for nothing.  Raises OSError when the line is gone."""
        try:
            return bytes(self._line.read(65536))
        except OSError as problem:  # of a pulled cable the library says "returned no data"
            raise OSError(errno.EIO, tr("Nothing answers there: cable, power?")) from problem

    def close(self) -> None:
        """Hang up.  A line that takes nothing any more keeps the system waiting half a minute for
        what was sent last: not the window.
        """
        closing = threading.Thread(target=self._line.close, daemon=True)
        closing.start()
        closing.join(CLOSES_WITHIN_S)
