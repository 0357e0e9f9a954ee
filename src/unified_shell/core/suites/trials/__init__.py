"""A suite's trial: its sample data, its commands, what they make, and the evidence that is kept of it."""
