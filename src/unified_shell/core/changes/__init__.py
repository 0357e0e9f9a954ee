"""The one road of every change: plan, steps, journal, undo, locks."""
