"""What reaches a terminal, or what stands in its place: streams, tables, colours, and the border for control sequences."""
