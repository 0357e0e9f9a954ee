"""Getting an interpreter: origins, what an archive is, building, proving, packing, dropping."""
