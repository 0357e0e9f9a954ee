"""New sessions: opening them and asking them."""
