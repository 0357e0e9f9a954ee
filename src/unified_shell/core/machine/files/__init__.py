"""Files and folders: durable and cached writes, copies, digests, modes, disks."""
