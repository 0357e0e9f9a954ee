"""Verbs that need a file of their own; the groups of their nouns add them."""
