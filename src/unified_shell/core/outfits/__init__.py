"""The declared set-up of a study: read, compared with the machine, carried out, captured, locked."""
