"""The decorator for tree nodes."""

from __future__ import annotations

from inspect import get_annotations
from typing import Any, TypeVar, dataclass_transform

T = TypeVar("T")


@dataclass_transform(frozen_default=True, eq_default=False)
def node(cls: type[T]) -> type[T]:
    """A class with slots and with an ``__init__`` that takes the annotated fields, which the type checker holds to be frozen.

    Freezing at run time makes each node three times as slow to build, and a library has a million
    of them; the type checker gives the same promise for nothing. Nodes compare by identity. The decorator of
    the standard library takes five times as long to make a class, and each call of the program makes a hundred.
    """
    own = tuple(get_annotations(cls))
    fields = (*(name for base in cls.__bases__ for name in getattr(base, "__match_args__", ())), *own)
    defaults = {name: cls.__dict__[name] for name in own if name in cls.__dict__}
    left_out = {*own, "__dict__", "__weakref__"}
    namespace: dict[str, Any] = {k: v for k, v in cls.__dict__.items() if k not in left_out}
    parameters = [f"{name}=defaults[{name!r}]" if name in defaults else name for name in fields]
    stores = [f"self.{name} = {name}" for name in fields] or ["pass"]
    made: dict[str, Any] = {"defaults": defaults}
    exec(f"def __init__({', '.join(['self', *parameters])}):\n  " + "\n  ".join(stores), made)
    namespace |= {"__slots__": own, "__match_args__": fields, "__init__": made["__init__"]}
    kind: Any = type(cls)
    result: type[T] = kind(cls.__name__, cls.__bases__, namespace)
    return result
