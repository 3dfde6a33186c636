"""What was used last, within a limit: the one kind of cache that everything here keeps."""

import threading
from collections import OrderedDict
from collections.abc import Callable, Hashable, Iterator
from typing import Any


class Recent:
    """Values by key; those not used for longest go first when the limit is passed. Safe between threads.

    limit: the most that all `size_of(value)` may come to; without size_of it counts values. `used` is what they do.
    """

    def __init__(self, limit: int, size_of: Callable[[Any], int] = lambda value: 1, *, keeps_one: bool = False):
        self.limit, self.used = limit, 0
        self._size_of, self._least = size_of, 1 if keeps_one else 0
        self._values: OrderedDict[Hashable, Any] = OrderedDict()
        self._lock = threading.Lock()

    def get(self, key: Hashable) -> Any:
        """The value, from now on the last one used; None if it is not there."""
        with self._lock:
            value = self._values.get(key)
            if value is not None:
                self._values.move_to_end(key)
            return value

    def put(self, key: Hashable, value: Any) -> None:
        """Keep a value; what was not used for longest goes where the limit is passed."""
        with self._lock:
            old = self._values.pop(key, None)
            self.used += self._size_of(value) - (self._size_of(old) if old is not None else 0)
            self._values[key] = value
            self._let_go(self.limit)

    def drop(self, key: Hashable) -> None:
        """Let one go; nothing happens where it is not there."""
        with self._lock:
            old = self._values.pop(key, None)
            self.used -= self._size_of(old) if old is not None else 0

    def shrink(self, limit: int) -> None:
        """Let go of what was not used for longest now; later values may fill it to its own limit again."""
        with self._lock:
            self._let_go(limit)

    def clear(self) -> None:
        """Let all go."""
        self.shrink(-1)

    def _let_go(self, limit: int) -> None:
        while self.used > limit and len(self._values) > (self._least if limit >= 0 else 0):
            self.used -= self._size_of(self._values.popitem(last=False)[1])

    def __contains__(self, key: Hashable) -> bool:
        return key in self._values

    def __len__(self) -> int:
        return len(self._values)

    def __iter__(self) -> Iterator[Hashable]:
        return iter(list(self._values))
