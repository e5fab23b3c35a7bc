"""Olive Almanac: plan laser test coupons, read them, decide, and keep the book."""

__version__ = "0.1.0"
