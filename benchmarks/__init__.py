"""Speed and size, run with `python -m benchmarks`."""

# Before numpy: it says how many threads linear algebra may have, here as in the server.
import lumenar  # noqa: F401
