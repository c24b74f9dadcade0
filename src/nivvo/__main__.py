"""``python -m nivvo``."""

from nivvo.cli import run

run()
