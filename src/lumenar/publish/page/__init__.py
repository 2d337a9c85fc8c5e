"""The pages of an edition: the report, a page for each mode, each recipe, every finding, the rubric, and the method. They
follow from the data package alone, so that anyone can make them again and compare."""

from __future__ import annotations

from typing import Any

from lumenar import __version__
from lumenar.core.scoring.rubric import Rubric
from lumenar.publish.package import About, Results
from lumenar.publish.page import detail, front
from lumenar.publish.page.contents import Contents
from lumenar.publish.page.summary import summary

INDEX = "index.html"


def pages(about: About, results: Results, rubric: Rubric, version: str = __version__) -> dict[str, str]:
    """Every page of an edition as HTML, by file name: static, charts as SVG, no scripts. version: of Lumenar, as they name it."""
    contents = Contents(about=about, results=results, rubric=rubric, version=version)
    return {INDEX: front.page(contents), **detail.pages(contents)}


def summary_of(about: About, results: Results, rubric: Rubric, version: str = __version__) -> dict[str, Any]:
    """What a library says of an edition, as a document."""
    return summary(Contents(about=about, results=results, rubric=rubric, version=version))
