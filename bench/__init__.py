"""Ratios measured side by side in one run: make bench."""
