"""The Jobs station."""
