"""Changes of search paths, variables, session scripts and hook-ups, and the sessions that prove them."""
