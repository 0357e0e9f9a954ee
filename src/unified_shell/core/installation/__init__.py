"""Software from archives and sources, whatever it is: prerequisites, builds, relocation."""
