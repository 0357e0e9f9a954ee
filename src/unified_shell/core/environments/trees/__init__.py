"""Making an edition's tree: from the store, with byte code, launchers and records; what differs from them since."""
