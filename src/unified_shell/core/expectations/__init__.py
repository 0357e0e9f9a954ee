"""What somebody expects of a command, module, script, service or kernel, and whether it holds."""
