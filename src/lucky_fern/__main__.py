"""``python -m lucky_fern``."""

import sys

from lucky_fern.cli import main

if __name__ == "__main__":
    sys.exit(main())
