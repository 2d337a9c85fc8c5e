"""Keys as the API's document lists them: what is registered decides what there is, so that no second list can drift."""

from __future__ import annotations

from typing import Annotated

from pydantic import WithJsonSchema

from lumenar.core.measurements import MEASUREMENTS

MeasurementKey = Annotated[str, WithJsonSchema({"type": "string", "enum": list(MEASUREMENTS)})]
"""The key of a measurement."""
