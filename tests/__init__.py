"""The tests.

Generated cases are the same in every run, so that a failure can be looked at again.
"""

from hypothesis import settings

settings.register_profile("same", derandomize=True)
settings.load_profile("same")
