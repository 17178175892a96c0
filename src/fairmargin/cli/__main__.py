"""``python -m fairmargin.cli``."""

from fairmargin.cli import main

main()
