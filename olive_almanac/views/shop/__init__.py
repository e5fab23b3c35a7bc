"""The Shop station."""
