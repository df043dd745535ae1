"""Decorators for classes that only hold data, and tables beside their objects.

Freezing at run time makes each node three times as slow to build, and a library has a million of them; the type
checker gives the same promise for nothing. The decorator of the standard library takes ten times as long to make a
class, and each call of the program makes more than a hundred.
"""

from __future__ import annotations

from collections.abc import Callable
from functools import cache, update_wrapper
from inspect import get_annotations
from types import CodeType, FunctionType
from typing import Any, Generic, Protocol, TypeVar, dataclass_transform

T = TypeVar("T")
_ABSENT: Any = object()


class _Field:
    """What stands for a field without a value of its own, or with one that is made anew for each object."""

    __slots__ = ("make",)

    def __init__(self, make: Callable[[], Any] | None) -> None:
        self.make = make


def fresh(*, default_factory: Callable[[], Any]) -> Any:
    """The default of a field that is made anew for each object."""
    return _Field(default_factory)


def required() -> Any:
    """The default of a field that has none, where a base has a property of its name."""
    return _Field(None)


@dataclass_transform(frozen_default=True, eq_default=False, field_specifiers=(fresh, required))
def node(cls: type[T]) -> type[T]:
    """A class with slots and an ``__init__`` that takes the annotated fields; objects compare by identity.

    The type checker holds the fields to be frozen.
    """
    return _made(cls, {})


@dataclass_transform(frozen_default=True, eq_default=True, field_specifiers=(fresh, required))
def record(cls: type[T]) -> type[T]:
    """A node whose objects are equal, and have the same hash, when their fields are."""
    return _made(cls, {"__eq__": _is_equal, "__hash__": _hash})


@dataclass_transform(frozen_default=False, eq_default=False, field_specifiers=(fresh, required))
def state(cls: type[T]) -> type[T]:
    """A node whose fields change."""
    return _made(cls, {})


class Keeping(Protocol):
    """What has room for what is found out about it."""

    @property
    def kept(self) -> dict[Side[Any, Any], Any]: ...


Owner = TypeVar("Owner", bound=Keeping)


class Side(Generic[Owner, T]):
    """A table beside objects: what is found out about each when somebody asks first, and kept as long as the object
    lives.
    """

    def __init__(self, make: Callable[[Owner], T]) -> None:
        self._make = make
        update_wrapper(self, make)

    def __call__(self, owner: Owner) -> T:
        kept = owner.kept
        found: T = kept.get(self, _ABSENT)
        if found is _ABSENT:
            found = kept[self] = self._make(owner)
        return found

    def put(self, owner: Owner, value: T) -> None:
        """Say what it is, so that it need not be found out."""
        owner.kept[self] = value


def replaced(value: T, **changes: Any) -> T:
    """A copy of a node with other values in some fields."""
    kind: Any = type(value)
    made: T = kind(**({name: getattr(value, name) for name in kind.__match_args__} | changes))
    return made


def _made(cls: type[T], methods: dict[str, Any]) -> type[T]:
    own = tuple(get_annotations(cls))
    fields = (*(name for base in cls.__bases__ for name in getattr(base, "__match_args__", ())), *own)
    given = {name: cls.__dict__[name] for name in own if name in cls.__dict__}
    defaults = {name: value for name, value in given.items() if not isinstance(value, _Field) or value.make}
    left_out = {*own, "__dict__", "__weakref__"}
    namespace: dict[str, Any] = dict(methods)
    if cls.__repr__ is object.__repr__:
        namespace["__repr__"] = _repr
    namespace |= {k: v for k, v in cls.__dict__.items() if k not in left_out}
    namespace |= {"__slots__": own, "__match_args__": fields, "__init__": _init(fields, defaults)}
    kind: Any = type(cls)
    result: type[T] = kind(cls.__name__, cls.__bases__, namespace)
    return result


def _init(fields: tuple[str, ...], defaults: dict[str, Any]) -> FunctionType:
    """An ``__init__`` for these fields."""
    makers = {name: value.make for name, value in defaults.items() if isinstance(value, _Field)}
    if makers:
        lines = [
            f"self.{n} = make_{n}() if {n} is absent else {n}" if n in makers else f"self.{n} = {n}" for n in fields
        ]
        code = _compiled(fields, lines)
    else:
        pattern = _pattern(len(fields))
        code = pattern.replace(co_varnames=("self", *fields), co_names=fields)
    scope = {"absent": _ABSENT, **{f"make_{name}": make for name, make in makers.items()}}
    made = FunctionType(code, scope, "__init__")
    made.__defaults__ = tuple(_ABSENT if name in makers else value for name, value in defaults.items())
    return made


@cache
def _pattern(count: int) -> CodeType:
    """The code of an ``__init__`` with so many fields, whose names are put in by those who take it."""
    names = tuple(f"f{number}" for number in range(count))
    return _compiled(names, [f"self.{name} = {name}" for name in names])


def _compiled(fields: tuple[str, ...], lines: list[str]) -> CodeType:
    made: dict[str, Any] = {}
    exec(f"def __init__({', '.join(('self', *fields))}):\n  " + "\n  ".join(lines or ["pass"]), made)
    found: CodeType = made["__init__"].__code__
    return found


def _values(value: Any) -> tuple[Any, ...]:
    return tuple([getattr(value, name) for name in type(value).__match_args__])


def _is_equal(self: Any, other: object) -> bool:
    return _values(self) == _values(other) if type(other) is type(self) else NotImplemented


def _hash(self: Any) -> int:
    return hash(_values(self))


def _repr(self: Any) -> str:
    fields = ", ".join(f"{name}={getattr(self, name)!r}" for name in type(self).__match_args__)
    return f"{type(self).__name__}({fields})"
