"""The solver: it yields questions and is sent answers."""
