"""What people type: one module for each noun; options in, calls to the core, views out."""
