"""Fast loops: plain Python compiled by Numba for declared types of arguments, and only when needed.

Numba takes longer to load than many a command to run: nothing of it is imported before a loop is called.
Each loop is compiled for the types it declares and no others; what was compiled before comes from Numba's cache.
"""

import functools
import logging
import os
import threading
import time
from collections.abc import Callable
from contextlib import suppress
from types import FunctionType

_log = logging.getLogger(__name__)
_BUILDING = threading.RLock()
_STRICT = "LATHER_STRICT_LOOPS"
"""Set where a call with undeclared types is an error and not compiled for: in tests."""
_TOLD_AFTER_S = 0.2

waiting: list[Callable[["Loop", bool], None]] = []
"""Called with (loop, True) when somebody has to wait for a loop to be compiled, and with (loop, False) when it is
there; in whatever thread needs it."""
elsewhere: list[Callable[["Loop"], None]] = []
"""Called with a loop that is needed now, before it is compiled here: returns when another process has compiled it, or
cannot. Then it is only loaded."""
compiled_here: list[str] = []
"""Names of loops for which this process had to make machine code."""


class Loop:
    """A function over arrays that is compiled at its first call, or by `get_ready`.

    signatures: types of the arguments, as Numba writes them (`f4[:, :, ::1], i8`); `const(…)` for an array that cannot
    be written to. A loop without signatures serves other loops only, and is compiled as part of them.
    """

    def __init__(self, function: Callable, signatures: tuple[str, ...], options: dict):
        functools.update_wrapper(self, function)
        self._function, self._options = function, options
        self.signatures = signatures
        self._dispatcher = None
        self._run: Callable = self._first

    def __repr__(self) -> str:
        return f"<loop {self.name}>"

    @property
    def name(self) -> str:
        """Module and name, which is how another process asks for it."""
        return f"{self._function.__module__}.{self._function.__name__}"

    @property
    def ready(self) -> bool:
        """True once a call does not have to wait."""
        return self._run != self._first

    @property
    def compilations(self) -> int:
        """How often machine code was made for it in this process; what came from the disk does not count."""
        return 0 if self._dispatcher is None else sum(self._dispatcher.stats.cache_misses.values())

    def __call__(self, *arguments):
        return self._run(*arguments)

    def get_ready(self) -> bool:
        """Compile it, or load what was compiled before. True if it had to be compiled."""
        with _BUILDING:
            if self.ready:
                return False
            dispatcher = self.dispatcher
            for signature in self.signatures:
                dispatcher.compile(_types(signature))
            if self.signatures:
                dispatcher.disable_compile()
                self._run = dispatcher if os.environ.get(_STRICT) else self._tolerant
            else:
                self._run = dispatcher
            if self.compilations:
                compiled_here.append(self.name)
            return self.compilations > 0

    @property
    def plain(self) -> Callable:
        """The function as Python runs it: for a few numbers, where compiling would take longer."""
        return self._function

    def expect(self) -> None:
        """In a thread that may wait: have it there before one that may not wait calls it."""
        if not self.ready:
            self._have()

    def _first(self, *arguments):
        _log.debug("%s is called for the first time", self.name)
        self._have()
        return self._run(*arguments)

    def _have(self) -> None:
        """Compiled or loaded, here or by whoever does that; what waits longer than a moment is told."""
        began = time.monotonic()
        told = threading.Timer(_TOLD_AFTER_S, _tell, (self, True))
        told.start()
        try:
            for compile_there in elsewhere:
                compile_there(self)
            self.get_ready()
        finally:
            told.cancel()
            if time.monotonic() - began > _TOLD_AFTER_S:
                _tell(self, False)
                _log.info("%s was waited for: %.1f s", self.name, time.monotonic() - began)

    def _tolerant(self, *arguments):
        """Types that nobody declared are compiled for as they come: slow once, but right."""
        try:
            return self._dispatcher(*arguments)
        except TypeError as error:
            if "No matching definition" not in str(error) and "Ambiguous" not in str(error):
                raise
            _log.warning("%s is called with undeclared types: %s", self.name, error)
            with _BUILDING:
                self._dispatcher._can_compile = True
                compiled_here.append(self.name)
                try:
                    return self._dispatcher(*arguments)
                finally:
                    self._dispatcher.disable_compile()

    @property
    def dispatcher(self):
        """Numba's own object, made when first asked for."""
        with _BUILDING:
            if self._dispatcher is None:
                import numba

                cache = bool(self.signatures)
                function = _with_dispatchers(self._function)
                self._dispatcher = numba.njit(nogil=True, cache=cache, **self._options)(function)
            return self._dispatcher


def _with_dispatchers(function: FunctionType) -> FunctionType:
    """The function as Numba can read it: loops that it calls stand in its globals as Numba's own objects."""
    names = set(function.__code__.co_names)
    own = {name: value for name, value in function.__globals__.items() if name in names or name.startswith("__")}
    own |= {name: value.dispatcher for name, value in own.items() if isinstance(value, Loop)}
    copy = FunctionType(function.__code__, own, function.__name__, function.__defaults__)
    return functools.update_wrapper(copy, function)


def loop(*signatures: str, fastmath: bool = False, inline: bool = False):
    """Decorator: compile this function, for arguments of these types. See `Loop`.

    fastmath: sums may be reordered, so that several pixels go at a time. inline: put into whoever calls it, before
    types are known. A division by zero raises: without that check the last bits of old jobs' pixels would change.
    """
    options: dict = {"fastmath": fastmath}
    if inline:
        options["inline"] = "always"
    return lambda function: Loop(function, signatures, options)


@functools.cache
def _types(signature: str) -> tuple:
    """(type of each argument) of a declaration. Raises NameError, SyntaxError where it is none."""
    from numba import types

    names = {name: getattr(types, name) for name in ("f4", "f8", "i1", "i2", "i4", "i8", "u1", "u2", "b1")}
    declared = eval(f"({signature},)", {"__builtins__": {}, "const": lambda array: array.copy(readonly=True)}, names)
    return tuple(types.Tuple(one) if isinstance(one, tuple) else one for one in declared)


def _tell(one: Loop, wait: bool) -> None:
    for hear in waiting:
        with suppress(RuntimeError):  # the window has gone
            hear(one, wait)
