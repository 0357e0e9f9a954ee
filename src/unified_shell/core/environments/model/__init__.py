"""What an environment is: contents, places, the registry, adopted and foreign ones, the interpreter below it."""
