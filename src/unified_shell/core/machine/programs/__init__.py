"""Program files: their headers, and the libraries that they load."""
