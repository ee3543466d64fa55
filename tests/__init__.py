"""All tests. Generated cases are the same ones in CI (HAILRIDGE_CI); elsewhere they are new ones each time, and a failure is kept to be replayed."""

import os

from hypothesis import settings

settings.register_profile("pinned", derandomize=True, deadline=None, database=None)
settings.register_profile("exploring", deadline=None, print_blob=True)
settings.load_profile("pinned" if os.environ.get("HAILRIDGE_CI") else "exploring")
