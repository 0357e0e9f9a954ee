"""Making environments and changing what is in them."""
