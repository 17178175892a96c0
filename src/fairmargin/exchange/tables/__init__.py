"""Tables of strangers: rows, headers with units, moments; and what is read from them."""
