"""What people read: tables, progress, plans, JSON."""
