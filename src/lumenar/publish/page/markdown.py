"""An editor's paragraphs: a safe part of Markdown as HTML."""

from __future__ import annotations

from functools import cache

import nh3
from markdown_it import MarkdownIt
from markupsafe import Markup

_TAGS = {"p", "br", "em", "strong", "ul", "ol", "li", "blockquote", "a", "code"}
_LINKS = {"http", "https", "mailto"}


@cache
def _parser() -> MarkdownIt:
    # Nothing but what is named here is understood; the rest is text.
    return MarkdownIt("zero").enable(["emphasis", "list", "link", "blockquote", "backticks", "escape", "newline"])


def html_of(text: str) -> Markup:
    """A paragraph in Markdown as HTML with emphasis, lists, quotations, code and links. The rest is shown as typed."""
    made = nh3.clean(
        _parser().render(text), tags=_TAGS, attributes={"a": {"href"}}, url_schemes=_LINKS, link_rel="nofollow noopener"
    )
    return Markup(made)
