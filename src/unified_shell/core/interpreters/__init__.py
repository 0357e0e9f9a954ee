"""Discovery of interpreters, their facts by probing, and those that were adopted."""
