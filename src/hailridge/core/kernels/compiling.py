"""Declaring kernels: a function with the types of its parameters, compiled once for these and no others."""

from __future__ import annotations

from collections.abc import Callable
from threading import Lock
from types import FunctionType
from typing import Any

import numba
import numpy as np
from numba.extending import intrinsic

from hailridge.core.kernels import threads

SERIAL_BELOW = 20_000
"""Items below which waking another thread costs more than it saves; kernels with more work for each share it out earlier."""

OPTIONS: dict[str, Any] = {"nogil": True, "error_model": "numpy"}
"""No fast math: a result may depend on nothing but its arguments."""

helper: Any = numba.njit(forceinline=True, **OPTIONS)
"""For small functions called inside kernels: LLVM takes them in whole. Having Numba do it gives the same speed and takes three times as long."""

piece: Any = numba.njit(**OPTIONS)
"""For larger ones, which LLVM may take in where that is worth it."""


def _unowned(_context: Any, array: Any) -> Any:
    def generate(context: Any, builder: Any, signature: Any, arguments: Any) -> Any:
        given = context.make_array(signature.args[0])(context, builder, value=arguments[0])
        given.meminfo = given.meminfo.type(None)
        return given._getvalue()

    return array(array), generate


unowned: Any = intrinsic(_unowned)
"""The same array, of whose users nobody keeps count. Counting is atomic, so threads that share an array would wait for one another at each of its
uses (decision 21). Whoever owns it has to outlive this one."""


KERNELS: list[Compiled] = []
"""All of them, in order of declaration."""

_LOADING: list[Compiled] = []


def loading() -> bool:
    """Whether a kernel is just being compiled or loaded. The compiler calls back from native code: an exception that a handler of signals raises
    there is lost, and the process dies of it.
    """
    return bool(_LOADING)


class Compiled:
    """A function that is compiled for the types that its parameters are annotated with (`kernels.array_types`), and for no others.

    It is compiled, or loaded from the cache, when it is first called or made `ready`; whatever it is given, it never compiles again.
    """

    def __init__(self, function: Callable[..., Any]) -> None:
        self.function = function
        self.name = function.__name__
        self._parameters = self._declared()
        self._dispatcher = numba.njit(cache=True, **OPTIONS)(self._entered())
        self._ready = False
        self._lock = Lock()
        KERNELS.append(self)

    def _entered(self) -> Any:
        """The function behind an entrance that leaves the count of users of its arrays outside."""
        assert isinstance(self.function, FunctionType)
        names = [name for name, _type in self._parameters]
        passed = [f"unowned({name})" if hasattr(kind, "ndim") else "max(begin, 0)" if name == "begin" else name for name, kind in self._parameters]
        # Named as a file of this package and by a line of its own, so that what it compiles to is kept with the rest.
        text = "\n" * self.function.__code__.co_firstlineno + f"def {self.name}({', '.join(names)}):\n    return body({', '.join(passed)})\n"
        known: dict[str, Any] = {"__name__": self.function.__module__, "body": helper(self.function), "unowned": unowned}
        exec(compile(text, self.function.__code__.co_filename, "exec"), known)
        return known[self.name]

    def _declared(self) -> list[tuple[str, Any]]:
        """Names and types of the parameters, in order. Raises TypeError for one without a type."""
        assert isinstance(self.function, FunctionType)
        known, code = self.function.__globals__, self.function.__code__
        names = code.co_varnames[: code.co_argcount]
        for name in names:
            if name not in self.function.__annotations__:
                raise TypeError(f"kernel {self.name}: '{name}' has no type")
        return [(name, eval(self.function.__annotations__[name], known)) for name in names]

    @property
    def signature(self) -> tuple[Any, ...]:
        """The types of its parameters, in order."""
        return tuple(kind for _name, kind in self._parameters)

    def ready(self) -> Any:
        """What computes, compiled."""
        with self._lock:
            if not self._ready:
                _LOADING.append(self)
                try:
                    self._dispatcher.compile(self.signature)
                finally:
                    _LOADING.remove(self)
                self._dispatcher.disable_compile()
                self._ready = True
        return self._dispatcher

    def run(self, *arguments: Any) -> Any:
        """Compute with exactly these arguments. Raises TypeError where they are of other types or do not lie in one piece."""
        compiled = self._dispatcher if self._ready else self.ready()
        try:
            return compiled(*arguments)
        except TypeError:
            # Arrays that may not be written are another type: what is only read is taken as a copy.
            return compiled(*map(_writable, arguments))


class Whole(Compiled):
    """A function that is called as it is written."""

    def __call__(self, *arguments: Any) -> Any:
        return self.run(*arguments)


class Spans(Compiled):
    """A loop over items in spans: a function of `begin` and `end`, then of what it works on, that fills what it is given for these items alone.

    It is called with the number of items in their place. Where there is enough work it is shared out among threads, in multiples of `together`
    items.
    """

    def __init__(self, function: Callable[..., Any], serial_below: int, together: int) -> None:
        self.serial_below = serial_below
        self.together = together
        super().__init__(function)

    def __call__(self, size: int, *arguments: Any, work: int | None = None) -> None:
        """Do items 0 to `size`; `work` says how much that is, where it is not the number of items."""
        if (size if work is None else work) < self.serial_below or threads.number_of_threads() == 1:
            self.run(0, size, *arguments)
        else:
            threads.shared_out(self.run, size, arguments, self.together)


def kernel(serial_below: int = SERIAL_BELOW, together: int = 1) -> Callable[[Callable[..., Any]], Spans]:
    """Declare a loop over items (`Spans`)."""
    return lambda function: Spans(function, serial_below, together)


def whole(function: Callable[..., Any]) -> Whole:
    """Declare a function that is serial by nature, such as building a tree."""
    return Whole(function)


def _writable(argument: Any) -> Any:
    return argument.copy() if isinstance(argument, np.ndarray) and not argument.flags.writeable else argument
