"""Checks of an environment: files, imports, commands, requirements."""
