"""Building source distributions: build systems, hooks, environments of their own."""
