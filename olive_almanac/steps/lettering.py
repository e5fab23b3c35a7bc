"""The lettering of labels, for the views and the demo, which know no file formats."""

from __future__ import annotations

from olive_almanac.formats.letters import letters

__all__ = ["letters"]
