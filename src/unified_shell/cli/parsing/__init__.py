"""How words are read: unique beginnings, and everyday words for what is called otherwise here."""
