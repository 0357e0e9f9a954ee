"""The state of a command: candidates, sessions, versions, who brings it."""
