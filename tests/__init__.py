"""The tests, laid out as the house is. Random cases are new each time, but the same each time in CI."""

import os

from hypothesis import settings

settings.register_profile("anywhere", deadline=None)
settings.register_profile("ci", deadline=None, derandomize=True)
settings.load_profile("ci" if os.environ.get("CI") else "anywhere")
