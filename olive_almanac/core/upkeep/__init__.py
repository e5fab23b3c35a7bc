"""Keeping machines true: counters, services and what is due."""
