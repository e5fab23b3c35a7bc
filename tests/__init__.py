"""The tests.

Generated cases are the same in every run, so that a failure can be looked at again, and none fails
for being slow.  The words are English, whatever the machine speaks.
"""

import os

from hypothesis import HealthCheck, settings

os.environ.setdefault("OLIVE_ALMANAC_LANGUAGE", "en")
os.environ.setdefault("OLIVE_ALMANAC_LENGTHS", "mm")
settings.register_profile(
    "same", derandomize=True, deadline=None, suppress_health_check=[HealthCheck.too_slow]
)
settings.load_profile("same")
