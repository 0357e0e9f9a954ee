"""Interpreters: the table of languages, discovery, facts by probing; getting, building, moving, packing, adopting."""
