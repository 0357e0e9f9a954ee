"""One file for each shell dialect; `table` lists them."""
