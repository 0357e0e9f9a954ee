"""The one executor of every change: plan, steps, journal, undo, locks."""
