"""How words are read: unique beginnings, everyday words, and what help says."""
