"""Runs in machine code, made when they are first called and kept on disk.

The compiler takes longer to import than all that a window needs to show the last verdict: nothing imports it before a
run is called.
"""

from collections.abc import Callable
from functools import update_wrapper
from threading import RLock
from typing import Any, TypeVar, cast

Compiled = TypeVar("Compiled", bound=Callable[..., Any])

# Counting who holds an array takes longer than most equations: what makes no array of its own counts none.
UNCOUNTED = {"_nrt": False}


def compiled(function: Compiled) -> Compiled:
    """A run: called from Python, compiled when it is first used and kept on disk."""
    return cast(Compiled, _Run(function, {}))


def uncounted(function: Compiled) -> Compiled:
    """A run that makes no array: all that it works in is handed to it."""
    return cast(Compiled, _Run(function, UNCOUNTED))


def inlined(function: Compiled) -> Compiled:
    """A part of a run, compiled into what calls it; it makes no array."""
    return cast(Compiled, _Run(function, {**UNCOUNTED, "forceinline": True}))


_making = RLock()
# Modules whose runs the compiler knows by their own names.
_known: set[str] = set()


class _Run:
    """Stands for a function until it is called."""

    def __init__(self, function: Callable[..., Any], how: dict[str, Any]):
        update_wrapper(self, function)
        self.function, self._how = function, how
        self._made: Callable[..., Any] | None = None
        self._ready: Callable[..., Any] | None = None

    def __call__(self, *args: Any) -> Any:
        return (self._ready or self._make_ready())(*args)

    def _make_ready(self) -> Callable[..., Any]:
        # Another thread calls it once all that it calls is known, and not before.
        with _making:
            _make_known(self.function)
            self._ready = self.made()
        return self._ready

    def made(self) -> Callable[..., Any]:
        """The function for the compiler, which may call it once its module is known."""
        if self._made is None:
            self._made = _for_the_compiler(self.function, self._how)
        return self._made


def _make_known(function: Callable[..., Any]) -> None:
    """Puts what the compiler takes in place of what stands for it, among all names that a function may call.

    Modules that it calls come before its own, whose names change all at once: who finds one there may call it.
    """
    if function.__module__ in _known:
        return
    _known.add(function.__module__)
    names = function.__globals__
    runs = {name: value for name, value in list(names.items()) if isinstance(value, _Run)}
    for run in runs.values():
        _make_known(run.function)
    names.update({name: run.made() for name, run in runs.items()})


def _for_the_compiler(function: Callable[..., Any], how: dict[str, Any]) -> Callable[..., Any]:
    from numba import njit

    made: Callable[..., Any] = njit(cache=True, nogil=True, error_model="numpy", pipeline_class=_apart(), **how)(
        function
    )
    return made


_pipelines: list[type] = []


def _apart() -> type:
    """Compiles on the promise that no array that is written overlaps another one that the same call is given."""
    if _pipelines:
        return _pipelines[0]
    from numba.core.compiler import Compiler

    class Apart(Compiler):  # type: ignore[misc]
        def define_pipelines(self) -> list[Any]:
            self.state.flags.noalias = True
            found: list[Any] = super().define_pipelines()
            return found

    _pipelines.append(Apart)
    return Apart
