"""What can be verified: by a name that somebody types, or all that is managed here."""
