"""One limit of memory for all that is kept between two pieces of work.

Images, results, scenes and views are kept in stores of their own, which share a budget: when it is full, what was used
longest ago goes first, in whichever store it lies.
"""

from __future__ import annotations

import os
import threading
import weakref
from collections import OrderedDict
from collections.abc import Callable, Hashable, Mapping
from itertools import count
from typing import Any, Generic, TypeVar

MOST = 3 * 2**30  # bytes, where nobody says otherwise
SHARE = 0.4  # of the machine's memory, where that is less

Key = TypeVar("Key", bound=Hashable)
Value = TypeVar("Value")


def ordinary_limit() -> int:
    """Bytes that are kept where nobody says otherwise."""
    try:
        return min(MOST, int(SHARE * os.sysconf("SC_PHYS_PAGES") * os.sysconf("SC_PAGE_SIZE")))
    except (ValueError, OSError):
        return MOST


class Budget:
    """A limit in bytes for several stores. May be used from several threads."""

    def __init__(self, limit: int | None = None) -> None:
        self._limit = ordinary_limit() if limit is None else limit
        self.lock = threading.RLock()  # of all its stores
        self._uses = count()
        self._stores: weakref.WeakSet[Store[Any, Any]] = weakref.WeakSet()

    @property
    def limit(self) -> int:
        """Bytes that all stores together may take."""
        return self._limit

    @limit.setter
    def limit(self, limit: int) -> None:
        self._limit = limit
        self.make_room()

    @property
    def used(self) -> int:
        """Bytes in all stores."""
        with self.lock:
            return sum(store.bytes for store in self._stores)

    def join(self, store: Store[Any, Any]) -> None:
        """Makes a store one of those that share the budget."""
        with self.lock:
            self._stores.add(store)

    def use(self) -> int:
        """A number that is higher the later it is asked for."""
        return next(self._uses)

    def make_room(self) -> None:
        """Lets go of what was used longest ago until the rest fits; every store keeps what it used last."""
        with self.lock:
            while sum(store.bytes for store in self._stores) > self._limit:
                stores = [store for store in self._stores if store.count > 1]
                if not stores:
                    return
                min(stores, key=lambda store: store.longest_ago).drop_oldest()


class Store(Generic[Key, Value]):
    """Values by key, within a budget.

    size : bytes of a value, asked for again whenever it is used, since some values grow. most : how many are kept,
    whatever the budget. dropped : told of each that is let go of for want of room.
    """

    def __init__(
        self,
        budget: Budget,
        size: Callable[[Value], int],
        *,
        most: int | None = None,
        dropped: Callable[[Value], object] = lambda _: None,
    ) -> None:
        self.budget, self._size, self._most, self._dropped = budget, size, most, dropped
        self._held: OrderedDict[Key, tuple[Value, int, int]] = OrderedDict()  # value, bytes, when it was used
        self._making: dict[Key, threading.Lock] = {}
        self.bytes = 0
        budget.join(self)

    def __contains__(self, key: Key) -> bool:
        with self.budget.lock:
            return key in self._held

    @property
    def count(self) -> int:
        """How many values are kept."""
        return len(self._held)

    @property
    def longest_ago(self) -> int:
        """When the value was used that was not used for longest; see Budget.use."""
        return next(iter(self._held.values()))[2]

    def get(self, key: Key) -> Value | None:
        """The value, or None."""
        with self.budget.lock:
            if key not in self._held:
                return None
            value = self._held[key][0]
            self._hold(key, value)
            return value

    def values(self) -> list[Value]:
        """All values, those not used for longest first."""
        with self.budget.lock:
            return [value for value, _, _ in self._held.values()]

    def put(self, key: Key, value: Value) -> None:
        """Keeps a value; what was used longest ago, in any store of the budget, goes if there is no room."""
        self.put_all({key: value})

    def put_all(self, values: Mapping[Key, Value]) -> None:
        """Keeps several values; room is made once for all of them."""
        with self.budget.lock:
            for key, value in values.items():
                self._hold(key, value)
            while self._most is not None and len(self._held) > self._most:
                self.drop_oldest()
            self.budget.make_room()

    def recount(self, key: Key) -> None:
        """The value has grown: its bytes are asked for again, and what is too much goes."""
        with self.budget.lock:
            if key in self._held:
                self._hold(key, self._held[key][0])
                self.budget.make_room()

    def get_or_make(self, key: Key, make: Callable[[], Value]) -> Value:
        """The value; who asks for one that another thread is making waits for it."""
        found = self.get(key)
        if found is not None:
            return found
        with self.budget.lock:
            making = self._making.setdefault(key, threading.Lock())
        with making:
            found = self.get(key)
            if found is not None:
                return found
            try:
                made = make()
                self.put(key, made)
                return made
            finally:  # if it came to nothing, the next one tries
                with self.budget.lock:
                    self._making.pop(key, None)

    def drop_oldest(self) -> None:
        """Lets go of the value that was not used for longest."""
        with self.budget.lock:
            _, (value, size, _) = self._held.popitem(last=False)
            self.bytes -= size
        self._dropped(value)

    def drop(self, unwanted: Callable[[Key], bool]) -> None:
        """Lets go of all values whose key is not wanted."""
        with self.budget.lock:
            for key in [key for key in self._held if unwanted(key)]:
                self.bytes -= self._held.pop(key)[1]

    def drop_values(self, unwanted: Callable[[Value], bool]) -> None:
        """Lets go of all values that are not wanted."""
        with self.budget.lock:
            found = [key for key, (value, _, _) in self._held.items() if unwanted(value)]
            values = [self._held[key][0] for key in found]
            self.drop(lambda key: key in found)
        for value in values:
            self._dropped(value)

    def clear(self) -> None:
        """Lets go of everything."""
        self.drop(lambda _: True)

    def _hold(self, key: Key, value: Value) -> None:
        """Called under the lock."""
        before = self._held.pop(key, None)
        size = self._size(value)
        self.bytes += size - (before[1] if before is not None else 0)
        self._held[key] = value, size, self.budget.use()
