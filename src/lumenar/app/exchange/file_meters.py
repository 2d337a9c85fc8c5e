"""Displays and meters as the readings file names them."""

from __future__ import annotations

from collections.abc import Callable
from functools import cached_property
from typing import Annotated, Any, Literal, TypeVar

from pydantic import AfterValidator, BaseModel, ConfigDict, Field, model_validator

from lumenar.core.colour.correction import PRIMARIES, WHITE
from lumenar.core.menu.controls import Panel

R = TypeVar("R")


MAX_CD_M2 = 100_000.0


Tristimulus = Annotated[float, Field(ge=-MAX_CD_M2, le=MAX_CD_M2 * 10)]


def _plain_text(text: str) -> str:
    if any(ord(c) < 32 or ord(c) == 127 for c in text):
        raise ValueError("control characters are not allowed")
    return text


Text = Annotated[str, Field(max_length=200), AfterValidator(_plain_text)]


Name = Annotated[str, Field(min_length=1, max_length=200), AfterValidator(_plain_text)]


Matrix = tuple[tuple[float, float, float], tuple[float, float, float], tuple[float, float, float]]


class _Strict(BaseModel):
    """Numbers are numbers: a text or a truth value that looks like one is refused."""

    model_config = ConfigDict(extra="forbid", frozen=True, allow_inf_nan=False, strict=True)


class _Whole(_Strict):
    """A part of the document whose derived values are computed once and kept."""

    @cached_property
    def kept(self) -> dict[object, Any]:
        """Derived values by their key."""
        return {}

    def memo(self, key: object, find: Callable[[], R]) -> R:
        """The value under `key`, computed by `find` the first time."""
        if key not in self.kept:
            self.kept[key] = find()
        found: R = self.kept[key]
        return found


class FileUnit(_Strict):
    """A unit that setups refer to."""

    id: Name
    maker: Text = ""
    model: Text = ""
    serial: Text = ""
    sample: Text = ""
    panel: Panel = "other"
    firmware: Text = ""


class FileSeries(_Strict):
    """What one meter read for a correction."""

    names: Annotated[list[Text], Field(min_length=4, max_length=1000)]
    XYZ: Annotated[list[tuple[float, float, float]], Field(min_length=4, max_length=1000)]
    time_s: Annotated[list[float], Field(min_length=4, max_length=1000)]
    repeatability: Annotated[float, Field(ge=0, le=0.5)]
    absolute: Annotated[float, Field(ge=0, le=1000)]
    covariance: Annotated[list[Matrix], Field(max_length=1000)] | None = None


class FileCorrectionSeries(_Strict):
    """What both meters read for a correction, from which its uncertainty is drawn."""

    reference: FileSeries
    working: FileSeries

    @model_validator(mode="after")
    def _usable(self) -> FileCorrectionSeries:
        for who in ("reference", "working"):
            s: FileSeries = getattr(self, who)
            if not len(s.names) == len(s.XYZ) == len(s.time_s):
                raise ValueError(f"{who}: names, XYZ and time_s are of different length")
            if s.covariance is not None and len(s.covariance) != len(s.names):
                raise ValueError(f"{who}: covariance has {len(s.covariance)} matrices for {len(s.names)} readings")
            if missing := [c for c in (WHITE, *PRIMARIES) if c not in s.names]:
                raise ValueError(f"{who}: {missing[0]} was not read")
            if any(XYZ[1] <= 0 for n, XYZ in zip(s.names, s.XYZ, strict=True) if n in (WHITE, *PRIMARIES)):
                raise ValueError(f"{who}: a white or primary has no light")
        return self


class FileMeter(_Strict):
    """A meter that readings refer to. `correction` is applied to the XYZ as read. What is not stated of its behaviour near
    black is estimated from the readings."""

    id: Name
    name: Text = ""
    kind: Literal["colorimeter", "spectroradiometer", "photodiode", "luminance meter"] = "colorimeter"
    serial: Text = ""
    repeatability_percent: Annotated[float, Field(ge=0, le=50)] = 0.2
    floor_cd_m2: Annotated[float, Field(ge=0, le=1000)] | None = None
    absolute_cd_m2: Annotated[float, Field(ge=0, le=1000)] | None = None
    correction: Matrix | None = None
    correction_u_percent: Annotated[float, Field(ge=0, le=50)] = 0.0
    correction_series: FileCorrectionSeries | None = None
