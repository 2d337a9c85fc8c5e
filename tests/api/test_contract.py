"""The OpenAPI document is kept: whatever is asked, status and content type are declared, and bodies are as said."""

import schemathesis
from hypothesis import HealthCheck, Phase, given, settings
from schemathesis.checks import not_a_server_error
from schemathesis.specs.openapi.checks import (
    content_type_conformance,
    response_schema_conformance,
    status_code_conformance,
)

from lumenar.api.server import create_app
from lumenar.app.application import Application
from lumenar.app.bench.bench import BenchService
from lumenar.app.displays.unit_files import shipped_units
from lumenar.app.setups import new_reviews

from ..conftest import PHONE
from .test_api import OWN

CHECKS = [not_a_server_error, status_code_conformance, content_type_conformance, response_schema_conformance]


def test_the_api_does_what_its_document_says(tmp_path):
    application = Application(tmp_path / "data")
    bench = BenchService(application, speed=0.0)
    new_reviews.add_review(application, shipped_units()[PHONE], PHONE)
    app = create_app(application, bench)
    schema = schemathesis.openapi.from_asgi("/openapi.json", app, headers={"Host": "127.0.0.1"})
    asked = 0
    for result in schema.get_all_operations():
        operation = result.ok()
        if operation.path.endswith("/events"):
            continue

        @settings(
            max_examples=12, deadline=None, phases=[Phase.explicit, Phase.generate], derandomize=True, database=None,
            suppress_health_check=list(HealthCheck),
        )  # fmt: skip
        @given(case=operation.as_strategy())
        def ask(case):
            nonlocal asked
            answer = case.call(headers={**OWN, "Host": "127.0.0.1"})
            case.validate_response(answer, checks=CHECKS)
            asked += 1

        ask()
    bench.runs.wait(20)
    bench.close()
    application.close()
    assert asked > 250
