"""What is wrong with a document, in plain words."""

from __future__ import annotations

from pydantic import ValidationError


def first_problem(error: ValidationError) -> tuple[str, str]:
    """Path in the document and reason of the first problem, in plain words."""
    first = error.errors(include_url=False, include_context=False, include_input=False)[0]
    place = ""
    for part in first["loc"]:
        place += f"[{part}]" if isinstance(part, int) else f".{part}" if place else str(part)
    if first["type"] == "json_invalid":
        said, _, where = first["msg"].removeprefix("Invalid JSON: ").partition(" at line ")
        return "", f"not JSON at line {where.replace(' column', ', column')}: {said}"
    reason = {
        "extra_forbidden": "unknown field",
        "missing": "required field is missing",
        "finite_number": "NaN and infinities are no numbers",
    }.get(first["type"])
    return place or "document", reason or first["msg"].removeprefix("Value error, ")
