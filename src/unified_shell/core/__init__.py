"""Everything that does the work, without any interface code."""
