"""Tables: by their printed heads, by heads and words that labelled tables taught, and as grids that a person draws."""
