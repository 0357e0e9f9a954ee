"""The checks of each kind of target, and the one table that lists them."""
