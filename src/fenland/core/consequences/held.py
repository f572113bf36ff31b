"""Records that are all held in memory: where what is derived between them is found, and made anew."""

from __future__ import annotations

from collections.abc import Iterable, Mapping
from typing import Any

from fenland.core.consequences.network import Network, Node
from fenland.core.consequences.spreading import Deriving
from fenland.core.definitions.validation import REFUSED

Record = dict[str, Any]


class Held:
    """See `Lookups` of `spreading.py`. Meanwhile nothing may change but what is derived."""

    def __init__(self, network: Network, records: Mapping[str, Mapping[str, Record]]) -> None:
        """`records` are those of each collection, by id."""
        self._network, self._records = network, records
        self._nodes: dict[str, list[Node]] = {name: [] for name in network.collections}
        for node in network.nodes:
            self._nodes[node.collection.name].append(node)
        #: By collection, the fields that are derived from other records.
        self.outer = {name: [node.field.name for node in nodes] for name, nodes in self._nodes.items()}
        self._deriving = Deriving(self, lambda *_: None)
        self._by_value: dict[tuple[str, str], dict[Any, list[Record]]] = {}

    def _holding(self, collection: str, name: str) -> dict[Any, list[Record]]:
        place = (collection, name)
        if place not in self._by_value:
            found: dict[Any, list[Record]] = {}
            for record in self._records[collection].values():
                found.setdefault(record[name], []).append(record)
            self._by_value[place] = found
        return self._by_value[place]

    def by_id(self, collection: str, record_id: str) -> Record | None:
        """See `Lookups`."""
        return self._records[collection].get(record_id)

    def by_key(self, collection: str, key: Any) -> Record | None:
        """See `Lookups`."""
        found = self._holding(collection, self._network.collections[collection].key).get(key)
        return found[0] if found else None

    def all_referring(self, collection: str, name: str, key: Any) -> Iterable[Record]:
        """See `Lookups`."""
        return self._holding(collection, name).get(key, ())

    def how_many_refer(self, collection: str, name: str, key: Any) -> int:
        """See `Lookups`."""
        return len(self._holding(collection, name).get(key, ()))

    def has_changed(self, _collection: str) -> bool:
        """See `Lookups`."""
        return False

    def values(self, collection: str, record: Record) -> Record:
        """What is derived from others of a record comes to."""
        return {node.field.name: self._deriving.value(node, record, []) for node in self._nodes[collection]}

    def derive(self) -> None:
        """Makes all that is derived between records anew, in place."""
        for collection, nodes in self._network.passes:
            for record in self._records[collection.name].values():
                for node in nodes:
                    value = self._deriving.value(node, record, [])
                    record[node.field.name] = None if value is REFUSED else value
