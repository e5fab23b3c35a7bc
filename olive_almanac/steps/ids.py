"""Ids of records: random and opaque, so that no two names ever share one."""

from __future__ import annotations

import os

__all__ = ["random_id"]


def random_id() -> str:
    """Return a fresh id of twelve hexadecimal digits."""
    return os.urandom(6).hex()
