"""Write the OpenAPI document to standard output; the web client's types are generated from it."""

from __future__ import annotations

import json
import sys
import tempfile
from pathlib import Path

from lumenar.api.server import create_app
from lumenar.app.application import Application
from lumenar.app.bench.bench import BenchService


def main() -> None:
    """Print the document of an application over an empty data folder."""
    with tempfile.TemporaryDirectory() as folder:
        application = Application(Path(folder))
        document = create_app(application, BenchService(application)).openapi()
        application.close()
    sys.stdout.write(json.dumps(document, indent=1))


if __name__ == "__main__":
    main()
