"""Programs that run: starting, talking to, ending them; pools; who else is at work."""
