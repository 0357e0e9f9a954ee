"""The wiring and what is derived from it: session files, lists, registry values."""
