"""``python -m nivvo``."""

from nivvo.cli import main

main()
