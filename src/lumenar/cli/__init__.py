"""The command line. Exit status 0 done, 1 the check failed, 2 bad input with one clear line on standard error."""

from __future__ import annotations

import os
import sys
from collections.abc import Sequence

from lumenar.app.errors import UserError
from lumenar.cli.parser import parser
from lumenar.store.database import StoreError


def main(arguments: Sequence[str] | None = None) -> int:
    """Run one command; returns its exit status."""
    options = parser().parse_args(arguments)
    try:
        status: int = options.run(options)
    except UserError as e:
        print(e.detail, file=sys.stderr)
        return 2
    except StoreError as e:
        print(e, file=sys.stderr)
        return 2
    except BrokenPipeError:
        # Whoever read our output has seen enough; Python must not complain again while it shuts down.
        os.dup2(os.open(os.devnull, os.O_WRONLY), sys.stdout.fileno())
        return 0
    except OSError as e:
        print(f"{e.filename or 'output'}: {e.strerror or e}", file=sys.stderr)
        return 2
    except KeyboardInterrupt:
        return 130
    return status
