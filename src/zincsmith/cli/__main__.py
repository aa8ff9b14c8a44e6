"""``python -m zincsmith.cli``."""

from zincsmith.cli import main

main()
