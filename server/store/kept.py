"""Values kept by name until what they rest on changes."""

from __future__ import annotations

from collections import OrderedDict
from collections.abc import Callable, Hashable
from threading import Lock
from typing import Any, Generic, TypeVar

Value = TypeVar("Value")


class Kept(Generic[Value]):
    """Values by key, each with a stamp of what it rests on; those used longest ago go first when there are more than
    `most`, or when all weigh more than `most_weight`.
    """

    def __init__(
        self, most: int, most_weight: float = float("inf"), weigh: Callable[[Value], float] = lambda value: 0
    ) -> None:
        self._most, self._most_weight, self._weigh = most, most_weight, weigh
        self._lock = Lock()
        self._values: OrderedDict[Hashable, tuple[Any, Value]] = OrderedDict()
        self._weight = 0.0

    def found(self, key: Hashable, stamp: Any) -> Value | None:
        """The value kept under this key, where its stamp is still this one."""
        with self._lock:
            kept = self._values.get(key)
            if kept is None or kept[0] != stamp:
                return None
            self._values.move_to_end(key)
            return kept[1]

    def keep(self, key: Hashable, stamp: Any, value: Value) -> None:
        """Keep it in the place of what was kept under this key."""
        with self._lock:
            before = self._values.pop(key, None)
            self._weight += self._weigh(value) - (self._weigh(before[1]) if before else 0)
            self._values[key] = (stamp, value)
            while self._values and (self._weight > self._most_weight or len(self._values) > self._most):
                _, (_, dropped) = self._values.popitem(last=False)
                self._weight -= self._weigh(dropped)
