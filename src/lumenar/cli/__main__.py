"""`python -m lumenar.cli`."""

import sys

from lumenar.cli import main

if __name__ == "__main__":
    sys.exit(main())
