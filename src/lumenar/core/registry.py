"""How registered things are found: each in a module, or a folder, of one package."""

from __future__ import annotations

from collections.abc import Iterable
from importlib import import_module
from pkgutil import iter_modules
from typing import TypeVar

T = TypeVar("T")


def registered(package: str, folders: Iterable[str], attribute: str, kind: type[T]) -> list[T]:
    """Every object of a kind that a module of a package defines under a name. package, folders: the package's own `__name__` and
    `__path__`. Modules that define no such object are passed over."""
    modules = (import_module(f"{package}.{m.name}") for m in iter_modules(folders))
    return [found for module in modules if isinstance(found := getattr(module, attribute, None), kind)]
