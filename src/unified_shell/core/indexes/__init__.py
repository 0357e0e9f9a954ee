"""The Simple Repository API as a client and a server, and local folders."""
