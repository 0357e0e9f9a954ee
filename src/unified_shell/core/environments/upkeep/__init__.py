"""The store and the cache: what they hold, for whom, repairing and emptying them."""
