"""Options of commands, as one value each."""
