"""The state of a module, in every interpreter and environment."""
