"""Facts of this host: variables, clock, processes, terminals, executables, disks."""
