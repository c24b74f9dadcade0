"""Whether random properties run long: ``python -m tests --deep``."""

import os

DEEP = bool(os.environ.get("NIVVO_TESTS_DEEP"))
